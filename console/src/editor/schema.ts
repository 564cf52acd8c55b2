// What the JSON Schema of designs says of a place: which keys may stand there, which values, and what they mean.
import type { Path } from './edits'

export interface Schema {
  $ref?: string
  $defs?: Record<string, Schema>
  description?: string
  type?: string | string[]
  properties?: Record<string, Schema>
  required?: string[]
  additionalProperties?: boolean | Schema
  items?: Schema
  enum?: unknown[]
  const?: unknown
  anyOf?: Schema[]
  oneOf?: Schema[]
  allOf?: Schema[]
  minimum?: number
  maximum?: number
  maxLength?: number
}

/** The schemas that stand for one: what it refers to, and its choices. */
function meant(root: Schema, s: Schema | undefined): Schema[] {
  if (!s) return []
  const own = s.$ref ? meant(root, root.$defs?.[s.$ref.slice('#/$defs/'.length)]) : []
  const more = [...(s.anyOf ?? []), ...(s.oneOf ?? []), ...(s.allOf ?? [])].flatMap((x) => meant(root, x))
  return [s, ...own, ...more]
}

function step(root: Schema, s: Schema, key: string | number): Schema[] {
  if (typeof key === 'number') return meant(root, s.items)
  if (s.properties?.[key]) return meant(root, s.properties[key])
  return typeof s.additionalProperties === 'object' ? meant(root, s.additionalProperties) : []
}

/** The schemas that hold at a path. */
export const at = (root: Schema, path: Path): Schema[] =>
  path.reduce<Schema[]>((here, key) => here.flatMap((s) => step(root, s, key)), meant(root, root))

export interface Choice {
  name: string
  about: string
}

/** The keys that may stand in the mapping at a path. */
export function keysAt(root: Schema, path: Path): Choice[] {
  const found = new Map<string, string>()
  for (const s of at(root, path))
    for (const [name, of] of Object.entries(s.properties ?? {}))
      if (!found.get(name)) found.set(name, aboutOf(meant(root, of)))
  return [...found].map(([name, about]) => ({ name, about }))
}

/** The values that may stand at a path, if they are counted out. */
export const valuesAt = (root: Schema, path: Path): string[] => [
  ...new Set(
    at(root, path).flatMap((s) =>
      s.enum
        ? s.enum.map(String)
        : s.const !== undefined
          ? [String(s.const)]
          : s.type === 'boolean'
            ? ['true', 'false']
            : [],
    ),
  ),
]

const aboutOf = (all: Schema[]) => all.find((s) => s.description)?.description ?? ''

/** What stands at a path, in words. */
export const aboutAt = (root: Schema, path: Path): string => aboutOf(at(root, path))

/** How a value is asked for: one of some, several words, a number, words, or YAML of its own. */
export type Asked = 'choice' | 'list' | 'number' | 'words' | 'yaml'

/** How the value at a path is asked for. */
export function askedAt(root: Schema, path: Path): Asked {
  if (valuesAt(root, path).length) return 'choice'
  const types = new Set(at(root, path).flatMap((s) => s.type ?? []))
  if (types.has('object') || (types.has('array') && types.has('object'))) return 'yaml'
  if (types.has('array')) return at(root, [...path, 0]).some((s) => s.type === 'object') ? 'yaml' : 'list'
  if (types.has('string')) return 'words'
  return types.has('number') || types.has('integer') ? 'number' : 'yaml'
}

/** The keys at a path under which things with names of their own stand, as fields do in a collection. */
export const groupsAt = (root: Schema, path: Path): Choice[] =>
  keysAt(root, path).filter((k) =>
    at(root, [...path, k.name]).some((s) => typeof s.additionalProperties === 'object' && !s.properties),
  )

/** The keys that must stand at a path, whichever of its choices is taken. */
export function neededAt(root: Schema, path: Path): Set<string> {
  const all = at(root, path)
  const chosen = new Set(all.flatMap((s) => [...(s.oneOf ?? []), ...(s.anyOf ?? [])].flatMap((x) => meant(root, x))))
  return new Set(all.filter((s) => !chosen.has(s)).flatMap((s) => s.required ?? []))
}
