import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue'
import type { Entry, TimelinePage } from '../api/client'

const remembered = 50 // entries that have gone

/** The first page of an owner's timeline, kept up to date by the service's stream. */
export function useLiveTimeline(timeline: Ref<string>, owner: Ref<string>, limit: number) {
  const entries = shallowRef<Entry[]>([])
  const loaded = ref(false)
  const broken = ref(false)
  const fresh = ref(new Set<string>()) // entries that came in while the page was open
  const gone = shallowRef<Entry[]>([]) // entries that went while it was open, newest first
  let source: EventSource | undefined

  function show(page: TimelinePage) {
    const before = entries.value
    const was = new Set(before.map((e) => e.path))
    const is = new Set(page.entries.map((e) => e.path))
    fresh.value = loaded.value ? new Set(page.entries.filter((e) => !was.has(e.path)).map((e) => e.path)) : new Set()
    const last = page.entries.at(-1)
    const beyond = (e: Entry) => page.entries.length >= limit && last !== undefined && e.at <= last.at // on the next page
    const went = before.filter((e) => !is.has(e.path) && !beyond(e))
    gone.value = [...went, ...gone.value].filter((e) => !is.has(e.path)).slice(0, remembered)
    entries.value = page.entries
    loaded.value = true
  }

  watch([timeline, owner], () => {
    source?.close()
    entries.value = []
    gone.value = []
    loaded.value = false
    if (!timeline.value || !owner.value) return
    source = new EventSource(`/v1/timelines/${timeline.value}/${encodeURIComponent(owner.value)}/live?limit=${limit}`)
    source.addEventListener('page', (e) => {
      broken.value = false
      show(JSON.parse((e as MessageEvent<string>).data))
    })
    source.onerror = () => (broken.value = true)
  }, { immediate: true })

  onUnmounted(() => source?.close())
  return { entries, loaded, broken, fresh, gone, show }
}
