import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue'
import { wordsOf } from '../api/client'

const pause = 700

/** Reads a report that is not finished at once: asks for it again until it is,
 * and anew when it is another one that is shown. */
export function useReport<Report>(
  id: Ref<string>,
  ask: (id: string) => Promise<Report>,
  finished: (report: Report) => boolean,
) {
  const report = shallowRef<Report>()
  const trouble = ref('')
  let timer: number | undefined

  async function look() {
    window.clearTimeout(timer)
    const asked = id.value
    let got: Report | undefined
    let words = ''
    try {
      got = await ask(asked)
    } catch (error) {
      words = wordsOf(error)
    }
    if (asked !== id.value) return // the answer to what is no longer shown
    report.value = got
    trouble.value = words
    if (got && !finished(got)) timer = window.setTimeout(look, pause)
  }
  watch(id, look, { immediate: true })
  onUnmounted(() => window.clearTimeout(timer))
  return { report, trouble }
}
