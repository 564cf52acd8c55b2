import { onMounted, onUnmounted, ref, shallowRef } from 'vue'
import { api, wordsOf, type Status } from '../api/client'

const status = shallowRef<Status>()
const error = ref('')
let watchers = 0
let timer: number | undefined

const everyMs = 1000

async function look() {
  try {
    status.value = await api.status()
    error.value = ''
  } catch (e) {
    error.value = wordsOf(e)
  }
  if (watchers > 0) timer = window.setTimeout(look, everyMs)
}

/** The service's status, looked at every second while any component watches. */
export function useStatus() {
  onMounted(() => {
    if (watchers++ === 0) void look()
  })
  onUnmounted(() => {
    if (--watchers === 0) window.clearTimeout(timer)
  })
  return { status, error }
}
