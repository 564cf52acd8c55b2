// The editor of design files: YAML with the keys, values and names that may stand where the cursor is, what they
// mean, and what the service says of each line.
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete'
import { yaml } from '@codemirror/lang-yaml'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint'
import { EditorView, hoverTooltip } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { basicSetup } from 'codemirror'
import { pathAt, type Path } from './edits'
import { aboutAt, keysAt, valuesAt, type Schema } from './schema'

export interface Remark {
  line: number
  column?: number
  severity: 'error' | 'warning' | 'info'
  says: string
}

export interface Knows {
  schema: () => Schema | undefined
  names: () => string[]
}

/** The path of the mapping that a new key at a line of its own would stand in, by what is indented less above it. */
function pathByIndent(before: string[], indent: number): Path {
  const path: Path = []
  for (let i = before.length - 1, least = indent; i >= 0 && least > 0; i--) {
    const line = before[i]!
    const m = /^(\s*)(?:- )?([a-z_][a-z0-9_]*):\s*(#.*)?$/i.exec(line)
    if (!m || m[1]!.length >= least) continue
    path.unshift(m[2]!)
    least = m[1]!.length
  }
  return path
}

function complete(knows: Knows) {
  return (context: CompletionContext): CompletionResult | null => {
    const root = knows.schema()
    const word = context.matchBefore(/[a-z0-9_.]*/i)
    if (!root || !word || (word.from === word.to && !context.explicit)) return null
    const line = context.state.doc.lineAt(context.pos)
    const text = line.text.slice(0, word.from - line.from)
    if (text.includes('#')) return null
    const all = context.state.doc.toString()
    if (text.trim() === '') {
      const before = all.slice(0, line.from).split('\n').slice(0, -1)
      return {
        from: word.from,
        options: keysAt(root, pathByIndent(before, text.length)).map(keyOption),
        validFor: /^\w*$/,
      }
    }
    const inBraces = /[{,]\s*$/.test(text)
    const path = pathAt(all, Math.max(word.from - 1, 0))
    if (inBraces) {
      const of = text.lastIndexOf('{') > text.lastIndexOf('}') && text.trim().endsWith(',') ? path.slice(0, -1) : path
      return { from: word.from, options: keysAt(root, of).map(keyOption), validFor: /^\w*$/ }
    }
    const values = valuesAt(root, path).map((label) => ({ label, type: 'constant' }))
    const names = knows.names().map((label) => ({ label, type: 'variable' }))
    return { from: word.from, options: [...values, ...(values.length ? [] : names)], validFor: /^[\w.]*$/ }
  }
}

const keyOption = (c: { name: string; about: string }) => ({
  label: c.name,
  type: 'property',
  apply: `${c.name}: `,
  info: c.about || undefined,
})

const hover = (knows: Knows) =>
  hoverTooltip((view, pos) => {
    const root = knows.schema()
    const word = view.state.wordAt(pos)
    if (!root || !word) return null
    const about = aboutAt(root, pathAt(view.state.doc.toString(), pos))
    if (!about) return null
    const dom = document.createElement('div')
    dom.className = 'about'
    dom.textContent = about
    return { pos: word.from, end: word.to, above: true, create: () => ({ dom }) }
  })

const colours = HighlightStyle.define([
  { tag: tags.propertyName, color: 'var(--accent)' },
  { tag: tags.definition(tags.propertyName), color: 'var(--accent)' },
  { tag: tags.comment, color: 'var(--quiet)' },
  { tag: tags.string, color: 'var(--text)' },
])

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '13px', backgroundColor: 'var(--surface)', color: 'var(--text)' },
  '.cm-scroller': { fontFamily: 'ui-monospace, monospace', lineHeight: '1.55' },
  '.cm-gutters': { backgroundColor: 'var(--surface)', color: 'var(--quiet)', borderRight: '1px solid var(--line)' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'var(--accent-soft)' },
  '.cm-cursor': { borderLeftColor: 'var(--text)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-tooltip': { backgroundColor: 'var(--surface)', color: 'var(--text)', border: '1px solid var(--line)' },
  '.cm-tooltip.about, .cm-tooltip .about': { padding: '4px 8px', maxWidth: '420px' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { background: 'var(--accent)', color: 'var(--surface)' },
  '.cm-lint-marker-error': {
    content: 'none',
    width: '9px',
    height: '9px',
    borderRadius: '50%',
    background: 'var(--warn)',
  },
  '.cm-panels': { backgroundColor: 'var(--surface)', color: 'var(--text)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { background: 'var(--accent-soft) !important' },
})

/** Makes an editor in an element. */
export function makeEditor(
  parent: HTMLElement,
  text: string,
  knows: Knows,
  tell: { changed: (text: string) => void; moved: (line: number) => void },
): EditorView {
  const view = new EditorView({
    parent,
    doc: text,
    extensions: [
      basicSetup,
      yaml(),
      syntaxHighlighting(colours),
      look,
      lintGutter(),
      autocompletion({ override: [complete(knows)] }),
      hover(knows),
      EditorView.contentAttributes.of({ 'aria-label': 'the design as text' }),
      EditorView.updateListener.of((u) => {
        if (u.docChanged) tell.changed(u.state.doc.toString())
        if (u.selectionSet) tell.moved(u.state.doc.lineAt(u.state.selection.main.head).number)
      }),
    ],
  })
  view.scrollDOM.tabIndex = 0 // it scrolls by the keyboard, too
  return view
}

/** Shows in the margin what is said of lines. */
export function remark(view: EditorView, all: Remark[]) {
  const doc = view.state.doc
  const diagnostics = all.map((r): Diagnostic => {
    const line = doc.line(Math.min(Math.max(r.line, 1), doc.lines))
    const indent = line.text.length - line.text.trimStart().length
    const from = Math.min(line.from + (r.column ? r.column - 1 : indent), line.to)
    return { from, to: line.to, severity: r.severity, message: r.says }
  })
  view.dispatch(setDiagnostics(view.state, diagnostics))
}

/** Puts another text in, as one change that can be undone; what is alike at both ends stays, and the cursor with it. */
export function setText(view: EditorView, text: string) {
  const had = view.state.doc.toString()
  if (had === text) return
  let from = 0
  while (from < had.length && from < text.length && had[from] === text[from]) from++
  let end = 0
  while (end < Math.min(had.length, text.length) - from && had[had.length - 1 - end] === text[text.length - 1 - end])
    end++
  view.dispatch({ changes: { from, to: had.length - end, insert: text.slice(from, text.length - end) } })
}

/** Goes to a line, and shows it in the middle. */
export function goTo(view: EditorView, line: number) {
  const at = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines)).from
  view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) })
}
