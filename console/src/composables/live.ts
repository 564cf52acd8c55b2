import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue'
import type { Entry, TimelinePage } from '../api/client'

/** The first page of an owner's timeline, kept up to date by the service's stream. */
export function useLiveTimeline(timeline: Ref<string>, owner: Ref<string>, limit: number) {
  const entries = shallowRef<Entry[]>([])
  const loaded = ref(false)
  const broken = ref(false)
  const fresh = ref(new Set<string>()) // entries that came in while the page was open
  let source: EventSource | undefined

  function show(page: TimelinePage) {
    const before = new Set(entries.value.map((e) => e.path))
    fresh.value = loaded.value ? new Set(page.entries.filter((e) => !before.has(e.path)).map((e) => e.path)) : new Set()
    entries.value = page.entries
    loaded.value = true
  }

  watch([timeline, owner], () => {
    source?.close()
    entries.value = []
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
  return { entries, loaded, broken, fresh }
}
