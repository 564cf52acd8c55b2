import { EventSource } from 'eventsource'
import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue'
import type { Entry, TimelinePage } from '../api/client'
import { after, happenings, type Told } from '../api/happenings'

const remembered = 50 // entries that have gone

/** The first page of an owner's timeline as the owner sees it, kept up to date by the service's stream. */
export function useLiveTimeline(timeline: Ref<string>, owner: Ref<string>, limit: number) {
  const entries = shallowRef<Entry[]>([])
  const loaded = ref(false)
  const broken = ref(false)
  const fresh = ref(new Set<string>()) // entries that came in while the page was open
  const gone = shallowRef<Entry[]>([]) // entries that went while it was open, newest first
  let source: EventSource | undefined
  let streamed: Entry[] = [] // as the stream has it
  let whole: Entry[] = [] // when all was there that belongs together
  let pushed = new Set<string>() // what went off the end of the page

  function show(page: Pick<TimelinePage, 'entries'>) {
    const before = entries.value
    const was = new Set(before.map((e) => e.path))
    const is = new Set(page.entries.map((e) => e.path))
    fresh.value = loaded.value ? new Set(page.entries.filter((e) => !was.has(e.path)).map((e) => e.path)) : new Set()
    const last = page.entries.at(-1)
    const beyond = (e: Entry) =>
      pushed.has(e.path) || (page.entries.length >= limit && last !== undefined && e.at <= last.at)
    const went = before.filter((e) => !is.has(e.path) && !beyond(e))
    gone.value = [...went, ...gone.value].filter((e) => !is.has(e.path)).slice(0, remembered)
    entries.value = page.entries
    loaded.value = true
  }

  function follow(from: EventSource) {
    from.addEventListener('page', (e) => {
      streamed = (JSON.parse(e.data) as TimelinePage).entries
    })
    for (const name of happenings) {
      from.addEventListener(name, (e) => {
        const told = JSON.parse(e.data) as Told<Entry>
        if (told.beyond && told.path) pushed.add(told.path)
        streamed = after(streamed, name, told)
      })
    }
    from.addEventListener('current', () => {
      broken.value = false
      whole = streamed
      show({ entries: whole })
      pushed = new Set()
    })
    from.onerror = () => {
      broken.value = true
      streamed = whole // what was cut off comes again
    }
  }

  function open() {
    source?.close()
    if (!timeline.value || !owner.value) return
    const as = owner.value // the browser's own streams cannot say as whom they read
    source = new EventSource(`/v1/live/timelines/${timeline.value}/${encodeURIComponent(as)}?limit=${limit}`, {
      fetch: (url, init) => fetch(url, { ...init, headers: { ...init.headers, 'Yalvo-As': as } }),
    })
    follow(source)
  }

  /** Shows a page that was read besides. The stream may not have come so far, and would say nothing if all
   * became again as it has told it before: it begins afresh. */
  function ahead(page: Pick<TimelinePage, 'entries'>) {
    show(page)
    open()
  }

  watch(
    [timeline, owner],
    () => {
      entries.value = []
      gone.value = []
      loaded.value = false
      open()
    },
    { immediate: true },
  )

  onUnmounted(() => source?.close())
  return { entries, loaded, broken, fresh, gone, ahead }
}
