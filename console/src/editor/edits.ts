// Edits of a design file as text. The document model of YAML says where things stand; what is not meant stays as it
// is, to the letter: comments, order, layout. What a key may be, and what it means, is not known here.
import { isMap, isScalar, isSeq, parseDocument, type Pair, type YAMLMap } from 'yaml'

export type Path = (string | number)[]

/** Why an edit cannot be made: the text is no YAML where it should go. */
export class CannotEdit extends Error {}

/** The text that was read last: most questions are about one and the same. Nothing changes a document that was read. */
let last = { text: '', doc: parseDocument('') }
function readOf(text: string) {
  if (last.text !== text) last = { text, doc: parseDocument(text) }
  return last.doc
}

function documentOf(text: string) {
  const doc = readOf(text)
  if (doc.errors.length)
    throw new CannotEdit(`the text cannot be edited while it is no YAML: ${doc.errors[0]!.message}`)
  return doc
}

interface Found {
  map?: YAMLMap
  pair?: Pair
}

const keyOf = (p: Pair) => (isScalar(p.key) ? String(p.key.value) : '')

/** The mapping at a path, and the pair that a key has in it. */
function find(text: string, path: Path, key: string): Found {
  const doc = documentOf(text)
  const at = path.length ? doc.getIn(path, true) : doc.contents
  if (at === null || at === undefined || (isScalar(at) && at.value === null)) return {}
  if (!isMap(at)) throw new CannotEdit(`${path.join('.')} has no keys`)
  return { map: at, pair: at.items.find((p) => keyOf(p) === key) }
}

type Ranged = { range?: [number, number, number] | null } | null
const begin = (node: unknown) => (node as Ranged)?.range?.[0] ?? -1
const ends = (node: unknown) => (node as Ranged)?.range?.[1] ?? -1

const splice = (text: string, from: number, to: number, by: string) => text.slice(0, from) + by + text.slice(to)
const lineStart = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1
const lineEnd = (text: string, at: number) => (text.indexOf('\n', at) < 0 ? text.length : text.indexOf('\n', at))

/** A key as it is written: in quotes where it would be taken for something else. */
const asKey = (key: string, flow = false) =>
  (flow ? /^[a-z_][\w.]*$/i : /^[a-z_][\w.(), ]*$/i).test(key) ? key : JSON.stringify(key)

/** Where a block mapping's last line ends: before comments and empty lines that belong to what comes after. */
function endOfBlock(text: string, map: YAMLMap): number {
  const last = map.items[map.items.length - 1]!
  let node: unknown = last.value
  while ((isMap(node) || isSeq(node)) && !node.flow && node.items.length) {
    const item: unknown = node.items[node.items.length - 1]
    node = isMap(node) ? ((item as Pair).value ?? (item as Pair).key) : item
  }
  const at = ends(node) >= 0 ? ends(node) : ends(last.key)
  return lineEnd(text, Math.max(at, ends(last.key)))
}

/** Indents every line of a value but its first. */
const indented = (value: string, by: string) => value.split('\n').join('\n' + by)

/** Writes a key with its value, in YAML, into the mapping at a path. What is missing on the way is begun. */
export function put(text: string, path: Path, key: string, value: string): string {
  const { map, pair } = find(text, path, key)
  if (pair) {
    const had = pair.value
    if (begin(had) < 0) return splice(text, ends(pair.key), ends(pair.key), `: ${value}`)
    const empty = ends(had) === begin(had) // as in `fields:`, with nothing after it
    if (!empty) return splice(text, begin(had), ends(had), value)
    const colon = text.indexOf(':', ends(pair.key)) + 1
    return splice(text, colon, colon, ` ${value}`)
  }
  if (!map || !map.items.length) return begun(text, path, key, value)
  if (map.flow) {
    const close = ends(map) - 1
    const before = map.items.length ? ', ' : ''
    const tight = text.slice(0, close).trimEnd().length
    return splice(
      text,
      tight,
      close,
      `${before}${asKey(key, true)}: ${value}${text.slice(tight, close).includes('\n') ? text.slice(tight, close) : ''}`,
    )
  }
  const at = endOfBlock(text, map)
  const first = begin(map.items[0]!.key)
  const indent = ' '.repeat(first - lineStart(text, first))
  return splice(text, at, at, `\n${indent}${asKey(key)}:${after(indented(value, indent))}`)
}

/** What follows a colon: a value on lines of its own stands below it. */
const after = (value: string) => (value.startsWith('\n') ? value : ` ${value}`)

/** Whether a mapping at a path is written on lines of its own, or would be: as what it stands in is. */
function isBlock(text: string, path: Path): boolean {
  const { map } = find(text, path, '')
  if (map?.items.length) return !map.flow
  return path.length === 0 || isBlock(text, path.slice(0, -1))
}

/** Begins the mapping at a path, of which nothing or `{}` is there, with its first key. */
function begun(text: string, path: Path, key: string, value: string): string {
  if (path.length === 0)
    return `${text}${text === '' || text.endsWith('\n') ? '' : '\n'}${asKey(key)}:${after(value)}\n`
  const parent = path.slice(0, -1)
  const name = String(path[path.length - 1])
  if (!isBlock(text, parent)) return put(text, parent, name, `{${asKey(key, true)}: ${value}}`)
  const { map: up, pair } = find(text, parent, name)
  if (!pair) {
    const block = put(text, parent, name, `\n  ${asKey(key)}:${after(indented(value, '  '))}`)
    return path.length === 1 ? block.replace(new RegExp(`(?<!\\n)\\n${name}:\\n`), `\n\n${name}:\n`) : block
  }
  const first = begin(up!.items[0]!.key)
  const indent = ' '.repeat(first - lineStart(text, first) + 2)
  const colon = text.indexOf(':', ends(pair.key)) + 1
  const to = Math.max(colon, ends(pair.value))
  return splice(text, colon, to, `\n${indent}${asKey(key)}:${after(indented(value, indent))}`)
}

/** Takes a key with its value out of the mapping at a path; a mapping in which none is left goes as well. */
export function takeOut(text: string, path: Path, key: string): string {
  const { map, pair } = find(text, path, key)
  if (!map || !pair) throw new CannotEdit(`there is no ${[...path, key].join('.')}`)
  if (map.items.length === 1 && path.length) return takeOut(text, path.slice(0, -1), String(path[path.length - 1]))
  const from = begin(pair.key)
  if (!map.flow) {
    const only = { ...map, items: [pair] } as unknown as YAMLMap
    return splice(text, lineStart(text, from), Math.min(endOfBlock(text, only) + 1, text.length), '')
  }
  const nth = map.items.indexOf(pair)
  const next = map.items[nth + 1]
  if (next) return splice(text, from, begin(next.key), '')
  const before = map.items[nth - 1]
  const after = before ? Math.max(ends(before.value), ends(before.key)) : from
  return splice(text, after, Math.max(ends(pair.value), ends(pair.key)), '')
}

/** Calls a key of the mapping at a path by another name. */
export function rename(text: string, path: Path, key: string, name: string): string {
  const { map, pair } = find(text, path, key)
  if (!map || !pair) throw new CannotEdit(`there is no ${[...path, key].join('.')}`)
  if (map.items.some((p) => keyOf(p) === name)) throw new CannotEdit(`there is a ${name} already`)
  return splice(text, begin(pair.key), ends(pair.key), asKey(name, map.flow))
}

/** The value at a path as it is written, and as it is meant. */
export function valueAt(text: string, path: Path): { written: string; meant: unknown } | undefined {
  const doc = documentOf(text)
  const node = doc.getIn(path, true)
  if (node === undefined || node === null) return undefined
  const written = text.slice(begin(node), ends(node))
  return { written, meant: (node as { toJS: (d: typeof doc) => unknown }).toJS(doc) }
}

/** The path of what stands at a place of the text: the keys that lead to it. */
export function pathAt(text: string, offset: number): Path {
  const doc = readOf(text)
  const path: Path = []
  let node: unknown = doc.contents
  for (;;) {
    if (isMap(node)) {
      const pair: Pair | undefined = [...node.items].reverse().find((p) => begin(p.key) >= 0 && begin(p.key) <= offset)
      if (!pair) return path
      path.push(keyOf(pair))
      node = pair.value
    } else if (isSeq(node)) {
      const nth = node.items.findLastIndex((i) => begin(i) >= 0 && begin(i) <= offset)
      if (nth < 0) return path
      path.push(nth)
      node = node.items[nth]
    } else return path
  }
}

/** Makes the edit that a finding or an alternative offers. */
export function cured(text: string, edit: { path: string[]; key: string; value: string }): string {
  if (edit.key !== '') return put(text, edit.path, edit.key, edit.value)
  return takeOut(text, edit.path.slice(0, -1), edit.path[edit.path.length - 1]!)
}
