const numbers = new Intl.NumberFormat('en')
export const count = (n: number) => numbers.format(n)

export const clock = (iso: string) => new Date(iso).toLocaleTimeString('en-GB')
export const moment = (iso: string) => new Date(iso).toLocaleString('sv-SE')

/** How long ago, in the largest fitting unit. */
export function ago(iso: string): string {
  const seconds = Math.max(0, (Date.now() - new Date(iso).getTime()) / 1000)
  if (seconds < 5) return 'now'
  if (seconds < 60) return `${Math.floor(seconds)} s`
  if (seconds < 3600) return `${Math.floor(seconds / 60)} min`
  if (seconds < 86400) return `${Math.floor(seconds / 3600)} h`
  return `${Math.floor(seconds / 86400)} d`
}

export function duration(ms: number): string {
  return ms < 1000 ? `${Math.round(ms)} ms` : `${(ms / 1000).toFixed(1)} s`
}

const isoTime = /^\d{4}-\d\d-\d\dT[\d:.]+Z$/

/** A value of any type on one line. */
export function inline(value: unknown): string {
  if (value === null || value === undefined) return '–'
  if (typeof value === 'number') return count(value)
  if (isPicture(value)) return 'a picture'
  if (typeof value === 'object') {
    if (Array.isArray(value)) return value.map(inline).join(', ')
    return Object.values(value).map(inline).join(' · ')
  }
  return typeof value === 'string' && isoTime.test(value) ? moment(value) : String(value)
}

/** A number of pieces of work and the verb that agrees with it. */
export const pieces = (n: number) => (n === 1 ? '1 piece of work is' : `${count(n)} pieces of work are`)

/** Whether a value is a picture that the service keeps. */
export function isPicture(value: unknown): value is string {
  return typeof value === 'string' && /^pictures\/[0-9a-f]{64}$/.test(value)
}

/** A number of bytes, in the largest fitting unit. */
export function bytes(n: number): string {
  const units = ['B', 'kB', 'MB', 'GB', 'TB']
  let i = 0
  for (; n >= 1000 && i < units.length - 1; i++) n /= 1000
  return `${n >= 100 || i === 0 ? Math.round(n) : n.toPrecision(2)} ${units[i]}`
}
