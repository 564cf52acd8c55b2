import { onMounted, onUnmounted, ref, shallowRef } from 'vue'
import { api, wordsOf, type Status } from '../api/client'

const status = shallowRef<Status>()
const error = ref('')
let watchers = 0
let round = 0 // of looking: one at a time, whatever comes and goes

const everyMs = 1000

async function look(mine: number) {
  try {
    const got = await api.status()
    if (mine !== round) return
    status.value = got
    error.value = ''
  } catch (e) {
    if (mine !== round) return
    error.value = wordsOf(e)
  }
  window.setTimeout(() => {
    if (mine === round) void look(mine)
  }, everyMs)
}

/** The service's status, looked at every second while any component watches. */
export function useStatus() {
  onMounted(() => {
    if (watchers++ === 0) void look(++round)
  })
  onUnmounted(() => {
    if (--watchers === 0) round++
  })
  return { status, error }
}
