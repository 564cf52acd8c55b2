// Values as a form shows them, and as they stand in a design file.
import type { Asked } from './schema'

/** A string as YAML that also holds within braces. */
function words(text: string): string {
  const plain =
    /^[a-z_][\w .-]*$/i.test(text) && !/^(true|false|null|yes|no|on|off|y|n|~)$/i.test(text) && !text.endsWith(' ')
  return plain ? text : JSON.stringify(text)
}

/** A value as a form shows it. */
export function shown(asked: Asked, meant: unknown, written: string): string {
  if (meant === undefined || meant === null) return ''
  if (asked === 'list' && Array.isArray(meant)) return meant.map(String).join(', ')
  if (asked === 'yaml' || typeof meant === 'object') return written
  return String(meant)
}

/** What a form shows as it is written into a file; nothing for nothing. */
export function written(asked: Asked, shown: string): string {
  const text = shown.trim()
  if (text === '' || asked === 'choice' || asked === 'number' || asked === 'yaml') return text
  if (asked === 'words') return words(text)
  const all = text.split(',').map((x) => words(x.trim()))
  return `[${all.filter((x) => x !== '""').join(', ')}]`
}

/** Several keys with their values, as a mapping in braces. */
export const inBraces = (all: [key: string, value: string][]) => `{${all.map(([k, v]) => `${k}: ${v}`).join(', ')}}`
