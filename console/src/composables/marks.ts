import { shallowRef, watch, type Ref } from 'vue'
import { api, type Entry, type Outline, type PairState, type TimelinePage } from '../api/client'
import { useLatest } from './latest'

export type OutlinePair = Outline['pairs'][number]
/** How an account's pairs with some documents stand: by document, then by pair. */
export type Marks = Map<string, Map<string, PairState>>

/** The last id of a path. */
export const idOf = (path: string) => path.slice(path.lastIndexOf('/') + 1)

/** Entries without their marks, to tell whether two pages say the same. */
const plain = (entries: Entry[]) => JSON.stringify(entries.map((e) => ({ ...e, marks: undefined })))

/** How the account's pairs with the entries of its page stand: one request for all. What
 * that has found otherwise of the entries themselves is shown as well. */
export function useMarks(
  timeline: () => string,
  account: Ref<string>,
  pairs: () => { pair: OutlinePair; link: string }[],
  shown: number,
  entries: Ref<Entry[]>,
  ahead: (page: TimelinePage) => void,
  acts: () => number,
) {
  const marks = shallowRef<Marks>(new Map())
  const latest = useLatest()

  async function look(): Promise<{ found: Marks; page: TimelinePage }> {
    const asked = pairs()
    const page = await api.timeline(
      timeline(),
      account.value,
      shown,
      asked.map((p) => p.link),
    )
    const found: Marks = new Map()
    for (const entry of page.entries) {
      const states = new Map<string, PairState>()
      for (const { pair, link } of asked) {
        const mark = entry.marks?.[link]
        if (mark) states.set(pair.name, { pair: pair.name, from: account.value, to: entry.path, set: true, ...mark })
      }
      found.set(entry.path, states)
    }
    return { found, page }
  }

  function take({ found, page }: { found: Marks; page: TimelinePage }) {
    marks.value = found
    if (plain(page.entries) !== plain(entries.value)) ahead(page)
  }

  watch(
    [account, entries, acts],
    () => {
      if (account.value === '' || entries.value.length === 0 || pairs().length === 0) return
      void latest(look, take, () => undefined) // the column says when the service is away
    },
    { immediate: true },
  )
  return marks
}
