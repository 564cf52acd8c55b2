// A name is changed wherever it is used: where that is, the service says, by the mistakes that a new name brings.
import { api, Problem } from '../api/client'
import { put, rename, valueAt, type Path } from './edits'
import { keysAt, type Schema } from './schema'

const mostRounds = 60

/** A text in which what stands at a path is called otherwise, as are its uses. If it is in force under the old name,
 * what is stored goes on under the new one. */
export async function renamedAll(
  root: Schema,
  text: string,
  running: string,
  path: Path,
  name: string,
): Promise<string> {
  const key = String(path[path.length - 1])
  const parent = path.slice(0, -1)
  let now = rename(text, parent, key, name)
  const inForce = running !== '' && valueAt(running, path) !== undefined
  const here = [...parent, name]
  if (inForce && keysAt(root, here).some((k) => k.name === 'was') && valueAt(now, [...here, 'was']) === undefined)
    now = put(now, here, 'was', key)
  for (let round = 0; round < mostRounds; round++) {
    const next = await withoutOld(now, key, name)
    if (next === now) return now
    now = next
  }
  return now
}

/** Writes the new name where a mistake says that the old one is not known. */
async function withoutOld(text: string, old: string, name: string): Promise<string> {
  try {
    await api.findings(text)
    return text
  } catch (error) {
    if (!(error instanceof Problem) || error.code !== 'design') throw error
    const lines = text.split('\n')
    const word = new RegExp(`(?<![\\w-])${old}(?![\\w-])`)
    let changed = false
    const places = error.mistakes.map((m) => /:(\d+):(\d+)$/.exec(m.pointer)).filter((x) => x !== null)
    // From the right to the left, so that places further left on a line stay where they are.
    places.sort((a, b) => Number(b[1]) - Number(a[1]) || Number(b[2]) - Number(a[2]))
    for (const [, line, column] of places) {
      const at = Number(line) - 1
      const [before, after] = [lines[at]!.slice(0, Number(column) - 1), lines[at]!.slice(Number(column) - 1)]
      if (!word.test(after)) continue
      lines[at] = before + after.replace(word, name)
      changed = true
    }
    return changed ? lines.join('\n') : text
  }
}
