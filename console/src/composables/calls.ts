import { shallowRef } from 'vue'
import { api, wordsOf } from '../api/client'

type Node = Record<string, unknown>

export interface Input {
  name: string
  in: 'path' | 'query'
  required: boolean
  hint: string
}

/** One call of the API, as the service describes it. */
export interface Call {
  id: string
  method: string
  path: string
  summary: string
  group: string // what it is about: the part of the path after /v1
  inputs: Input[]
  media: string // of its body, empty for none
  body: string // how a body looks
}

/** The calls that the service has for the design in force. */
export function useCalls() {
  const calls = shallowRef<Call[]>([])
  const trouble = shallowRef('')
  api.described().then(
    (doc) => (calls.value = callsOf(doc as Node)),
    (error) => (trouble.value = wordsOf(error)),
  )
  return { calls, trouble }
}

function callsOf(doc: Node): Call[] {
  const all: Call[] = []
  for (const [path, operations] of Object.entries(doc.paths as Record<string, Node>)) {
    if (path.startsWith('/v1/live/') || path === '/v1/dump' || path.startsWith('/v1/pictures')) {
      continue // streams and files
    }
    for (const [method, operation] of Object.entries(operations)) {
      if (method === 'parameters') continue
      const given = [
        ...((operations.parameters as Node[]) ?? []),
        ...(((operation as Node).parameters as Node[]) ?? []),
      ]
      const [media, schema] = bodyOf(doc, operation as Node)
      all.push({
        id: String((operation as Node).operationId),
        method: method.toUpperCase(),
        path,
        summary: String((operation as Node).summary ?? ''),
        group: path.split('/').slice(2, 4).join(' ') || 'the service',
        inputs: given.map((p) => inputOf(resolve(doc, p))).filter((i): i is Input => i !== undefined),
        media,
        body: schema ? JSON.stringify(example(doc, schema, 0), null, 2) : '',
      })
    }
  }
  return all
}

function resolve(doc: Node, node: Node): Node {
  const ref = node.$ref as string | undefined
  if (!ref) return node
  return ref
    .slice(2)
    .split('/')
    .reduce<Node>((at, part) => at[part] as Node, doc)
}

function inputOf(p: Node): Input | undefined {
  if (p.in !== 'path' && p.in !== 'query') return undefined
  return {
    name: String(p.name),
    in: p.in,
    required: p.in === 'path' || p.required === true,
    hint: String(p.description ?? ''),
  }
}

function bodyOf(doc: Node, operation: Node): [media: string, schema: Node | undefined] {
  const body = operation.requestBody as Node | undefined
  if (!body) return ['', undefined]
  const [media, content] = Object.entries(resolve(doc, body).content as Record<string, Node>)[0]!
  return [media, media.endsWith('json') ? (content.schema as Node) : undefined]
}

/** A value that a schema describes: what must be there, and of what need not be the first few. */
function example(doc: Node, given: Node, depth: number): unknown {
  const s = resolve(doc, given)
  if (depth > 6) return null
  if (s.const !== undefined) return s.const
  if (Array.isArray(s.enum)) return s.enum[0]
  const choice = ((s.oneOf ?? s.anyOf) as Node[] | undefined)?.[0]
  if (choice) return example(doc, choice, depth + 1)
  if (Array.isArray(s.allOf)) return Object.assign({}, ...s.allOf.map((part: Node) => example(doc, part, depth + 1)))
  const type = Array.isArray(s.type) ? s.type[0] : s.type
  if (type === 'object' || s.properties) {
    const required = (s.required as string[]) ?? []
    const names = Object.keys((s.properties as Node) ?? {})
    const shown = required.length ? required : names.filter((n) => n === 'facts')
    return Object.fromEntries(
      shown.map((n) => [n, example(doc, (s.properties as Record<string, Node>)[n]!, depth + 1)]),
    )
  }
  if (type === 'array') return [example(doc, s.items as Node, depth + 1)]
  if (type === 'integer' || type === 'number') return 0
  if (type === 'boolean') return false
  return s.format === 'date-time' ? new Date().toISOString() : ''
}
