import type { Outline, OutlineCollection } from '../api/client'

/** What a path leads to: a list of documents of a collection, or one document. */
export interface Place {
  path: string
  collection: OutlineCollection
  document: boolean
}

/** Reads a path by the design: collections and ids by turns, and maybe a link's name. */
export function placeOf(outline: Outline, path: string): Place | undefined {
  const parts = path.split('/').filter(Boolean)
  const named = (name?: string) => outline.collections.find((c) => c.name === name)
  let collection = named(parts[0])
  for (let i = 2; collection && i < parts.length; i += 2) {
    const link = collection.links.find((l) => l.name === parts[i])
    if (!link || (link.kind !== 'nested' && i + 1 < parts.length)) return undefined
    collection = named(link.to)
  }
  return collection && { path: parts.join('/'), collection, document: parts.length % 2 === 0 }
}

/** The field that says most about a document: its first text that must be there
 * and is no word to find it by. */
export function headField(collection: OutlineCollection): string | undefined {
  const texts = collection.fields.filter((f) => f.type === 'string')
  return (texts.find((f) => f.required && !f.unique) ?? texts.find((f) => !f.unique) ?? texts[0])?.name
}
