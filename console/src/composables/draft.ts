import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'
import { api, Problem, wordsOf, type Draft } from '../api/client'

/** How a draft stands with the service. */
export type Standing = 'loading' | 'kept' | 'changed' | 'taken' | 'unreachable' | 'refused' | 'gone'

const pause = 700

/** A draft of the design: its text is kept by the service soon after it has changed, and what somebody else has kept
 * meanwhile is never written over without being asked. While the service is away the text stays here. */
export function useDraft(name: string) {
  const text = ref('')
  const had = shallowRef<Draft>()
  const standing = ref<Standing>('loading')
  const trouble = ref('')
  const theirs = shallowRef<Draft>()
  let timer: number | undefined
  let keeping: Promise<void> | undefined

  async function load() {
    try {
      const d = await api.draft(name)
      had.value = d
      text.value = d.source ?? ''
      theirs.value = undefined
      standing.value = 'kept'
    } catch (error) {
      trouble.value = wordsOf(error)
      standing.value = error instanceof Problem && error.code === 'not-found' ? 'gone' : 'unreachable'
    }
  }

  async function keepNow() {
    const source = text.value
    try {
      had.value = { ...(await api.keepDraft(name, source, had.value!.edition)), source }
      trouble.value = ''
      standing.value = text.value === source ? 'kept' : 'changed'
      if (standing.value === 'changed') later(pause)
    } catch (error) {
      await told(error)
    }
  }
  async function told(error: unknown) {
    trouble.value = wordsOf(error)
    const p = error instanceof Problem ? error : undefined
    if (p?.code === 'stale') {
      theirs.value = await api.draft(name).catch(() => undefined)
      standing.value = 'taken'
    } else if (p && p.status > 0 && p.status < 500) standing.value = p.code === 'not-found' ? 'gone' : 'refused'
    else {
      standing.value = 'unreachable'
      later(2000)
    }
  }
  function later(ms: number) {
    window.clearTimeout(timer)
    timer = window.setTimeout(() => void keep(), ms)
  }

  /** Keeps what is there, one after the other; resolves when the answer is here. */
  async function keep() {
    window.clearTimeout(timer)
    while (keeping) await keeping
    if (!had.value || text.value === had.value.source || standing.value === 'taken') return
    keeping = keepNow().finally(() => (keeping = undefined))
    await keeping
  }

  watch(text, (t) => {
    if (!had.value || t === had.value.source || standing.value === 'taken') return
    standing.value = 'changed'
    later(pause)
  })

  /** Takes what somebody else has kept, or puts what is here in its place. */
  async function settle(mine: boolean) {
    if (!theirs.value) return
    const here = text.value
    had.value = theirs.value
    theirs.value = undefined
    standing.value = 'kept'
    text.value = mine ? here : (had.value.source ?? '')
    if (mine) {
      standing.value = 'changed'
      await keep()
    }
  }

  /** The draft goes from another version from now on: the one that was made of it. */
  async function goesFrom(version: number) {
    try {
      const source = had.value!.source
      had.value = { ...(await api.keepDraft(name, source ?? '', had.value!.edition, version)), source }
    } catch (error) {
      await told(error)
    }
  }

  const leaving = (event: BeforeUnloadEvent) => standing.value !== 'kept' && had.value && event.preventDefault()
  window.addEventListener('beforeunload', leaving)
  onUnmounted(() => {
    window.removeEventListener('beforeunload', leaving)
    void keep()
  })
  void load()
  return { text, had: computed(() => had.value), standing, trouble, theirs, keep, settle, goesFrom, load }
}
