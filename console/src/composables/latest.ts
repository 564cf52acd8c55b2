import { onUnmounted } from 'vue'

/** Runs questions of which only the newest counts: an answer that comes after a
 * newer question was asked, or after the page has gone, is dropped. */
export function useLatest() {
  let newest = 0
  let gone = false
  onUnmounted(() => (gone = true))
  return async <T>(question: () => Promise<T>, then: (answer: T) => void, otherwise: (error: unknown) => void) => {
    const mine = ++newest
    try {
      const answer = await question()
      if (!gone && mine === newest) then(answer)
    } catch (error) {
      if (!gone && mine === newest) otherwise(error)
    }
  }
}

/** Asks again and again, with a pause after each answer, for as long as the page is there. */
export function usePoll(look: () => Promise<void>, pause: () => number) {
  let timer: number | undefined
  let gone = false
  async function turn() {
    window.clearTimeout(timer)
    await look()
    if (gone) return
    window.clearTimeout(timer)
    timer = window.setTimeout(turn, pause())
  }
  onUnmounted(() => {
    gone = true
    window.clearTimeout(timer)
  })
  void turn()
  return turn
}
