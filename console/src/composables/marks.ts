import { shallowRef, watch, type Ref } from 'vue'
import { api, type Entry, type Outline, type PairState } from '../api/client'
import { useLatest } from './latest'

export type OutlinePair = Outline['pairs'][number]
/** How an account's pairs with some documents stand: by document, then by pair. */
export type Marks = Map<string, Map<string, PairState>>

const listed = 200 // of what an account is paired with, before single pairs are asked for

/** The last id of a path. */
export const idOf = (path: string) => path.slice(path.lastIndexOf('/') + 1)

/** How the account's pairs with the entries of its page stand, taken from the
 * facts: what it is paired with is listed once, not asked for entry by entry. */
export function useMarks(owners: () => string, account: Ref<string>, pairs: () => { pair: OutlinePair; link: string }[], entries: Ref<Entry[]>, acts: () => number) {
  const marks = shallowRef<Marks>(new Map())
  const latest = useLatest()

  async function ofPair(pair: OutlinePair, link: string, paths: string[]) {
    const page = await api.list(`${owners()}/${account.value}/${link}`, { limit: listed })
    const paired = new Set(page.documents.map((d) => d.path))
    const unsure = page.next !== undefined && page.next !== '' // there is more than was listed
    const states = new Map<string, PairState>()
    await Promise.all(paths.map(async (path) => {
      if (!paired.has(path) && !unsure) return
      if (paired.has(path) && pair.fields.length === 0) {
        states.set(path, { pair: pair.name, from: account.value, to: idOf(path), set: true })
        return
      }
      const state = await api.pair(pair.name, account.value, idOf(path))
      if (state.set) states.set(path, state)
    }))
    return states
  }

  async function look(): Promise<Marks> {
    const paths = entries.value.map((e) => e.path)
    const found: Marks = new Map(paths.map((p) => [p, new Map<string, PairState>()]))
    for (const { pair, link } of pairs()) {
      for (const [path, state] of await ofPair(pair, link, paths)) found.get(path)?.set(pair.name, state)
    }
    return found
  }

  watch([account, entries, acts], () => {
    if (account.value === '' || entries.value.length === 0) return
    void latest(look, (found) => (marks.value = found), () => undefined) // the column says when the service is away
  }, { immediate: true })
  return marks
}
