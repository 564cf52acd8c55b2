import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { api, Problem, wordsOf, type DesignGraph, type Finding } from '../api/client'
import type { Remark } from '../editor/setup'
import { useLatest } from './latest'

export interface MistakeAt {
  line: number
  column: number
  code: string
  says: string
}

const pause = 90

/** What the service says of a text as it is typed: mistakes, or findings and the design as a graph. */
export function useReview(text: Ref<string>) {
  const mistakes = shallowRef<MistakeAt[]>([])
  const findings = shallowRef<Finding[]>([])
  const graph = shallowRef<DesignGraph>()
  const trouble = ref('')
  const looked = ref('') // the text that the answer is about
  const latest = useLatest()
  let timer: number | undefined

  const ask = (source: string) =>
    latest(
      () => Promise.all([api.findings(source), api.graph(source)]),
      ([found, drawn]) => {
        mistakes.value = []
        findings.value = found.findings
        graph.value = drawn
        trouble.value = ''
        looked.value = source
      },
      (error) => {
        const said = error instanceof Problem && error.code === 'design' ? error.mistakes : undefined
        mistakes.value = (said ?? []).map((m) => {
          const [, line, column] = /:(\d+):(\d+)$/.exec(m.pointer) ?? []
          return { line: Number(line ?? 1), column: Number(column ?? 1), code: m.code, says: m.detail }
        })
        findings.value = []
        trouble.value = said ? '' : wordsOf(error)
        looked.value = source
      },
    )

  watch(
    text,
    (source) => {
      window.clearTimeout(timer)
      if (source.trim() === '') {
        mistakes.value = []
        findings.value = []
        graph.value = undefined
        return
      }
      timer = window.setTimeout(() => void ask(source), pause)
    },
    { immediate: true },
  )

  const severities = { wrong: 'error', costly: 'warning', doubt: 'info' } as const
  const remarks = computed<Remark[]>(() => [
    ...mistakes.value.map((m) => ({ line: m.line, column: m.column, severity: 'error' as const, says: m.says })),
    ...findings.value
      .filter((f) => !f.accepted)
      .map((f) => ({ line: f.line, severity: severities[f.severity], says: f.reason })),
  ])
  return { mistakes, findings, graph, trouble, remarks, looked }
}
