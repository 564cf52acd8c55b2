// The service's HTTP API, as the console uses it. Shapes come from the
// service's own OpenAPI document.
import type { components } from './schema.gen'

type Schemas = components['schemas']
export type Outline = Schemas['Outline']
export type OutlineCollection = Schemas['OutlineCollection']
export type Document = Schemas['Document']
export type DocumentPage = Schemas['DocumentPage']
export type Entry = Schemas['Entry']
export type TimelinePage = Schemas['TimelinePage']
export type Status = Schemas['Status']
export type Sample = Schemas['History']['samples'][number]
export type Change = Schemas['Change']
export type PairState = Schemas['PairState']
export type Audit = Schemas['Audit']
export type Drift = Schemas['Drift']
export type Why = Schemas['Why']
export type Sources = Schemas['Sources']
export type Place = Schemas['Place']
export type Cascade = Schemas['Cascade']
export type Forgotten = Schemas['Forgotten']
export type Difference = Schemas['Difference']
export type DesignVersion = Schemas['DesignVersion']
export type Brought = Schemas['Brought']
export type Misfits = Schemas['Misfits']
export type Step = Schemas['Step']
export type Trial = Schemas['Trial']
export type Outcome = Schemas['Outcome']
export type RulePart = Schemas['RulePart']
export type Parked = Schemas['ParkedWork']['parked'][number]
export type Mistake = NonNullable<Schemas['Problem']['errors']>[number]
export type OperatorKey = Schemas['OperatorKey']
export type Values = Record<string, unknown>

/** A refusal of the service: what is wrong, and each offending place. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly mistakes: Mistake[],
  ) {
    super(detail)
  }
}

export interface Answer<T> {
  body: T
  position: string
}

/** What the window is told when the service takes this browser for a stranger. */
export const signedOut = 'signed-out'

interface Asked {
  method?: string
  body?: unknown
  media?: string
  as?: string
  version?: number
  text?: string // a body that is no JSON
}

export async function ask<T>(path: string, asked: Asked = {}): Promise<Answer<T>> {
  const headers: Record<string, string> = {}
  if (asked.body !== undefined || asked.text !== undefined) headers['Content-Type'] = asked.media ?? 'application/json'
  if (asked.as) headers['Yalvo-As'] = asked.as
  if (asked.version) headers['If-Match'] = `"${asked.version}"`
  let response: Response
  try {
    response = await fetch(`/v1${path}`, {
      method: asked.method ?? 'GET',
      headers,
      body: asked.text ?? (asked.body === undefined ? undefined : JSON.stringify(asked.body)),
    })
  } catch {
    throw new Problem(0, 'unreachable', 'The service does not answer.', [])
  }
  const text = await response.text()
  const body = text && response.headers.get('Content-Type')?.includes('json') ? JSON.parse(text) : undefined
  if (!response.ok) {
    if (response.status === 401) window.dispatchEvent(new Event(signedOut))
    throw new Problem(response.status, body?.code ?? '', body?.detail ?? response.statusText, body?.errors ?? [])
  }
  return { body: body as T, position: response.headers.get('Yalvo-Position') ?? '' }
}

/** An answer as it came. */
export interface Heard {
  status: number
  ms: number
  headers: [name: string, value: string][]
  text: string
}

const shownHeaders = ['Yalvo-Read', 'Yalvo-Wrote', 'Yalvo-Position', 'ETag']

/** Asks what the person who looks has put together, and answers whatever comes back. */
async function call(method: string, address: string, media: string, body: string, as: string): Promise<Heard> {
  const headers: Record<string, string> = { ...(media && { 'Content-Type': media }), ...(as && { 'Yalvo-As': as }) }
  const began = performance.now()
  try {
    const response = await fetch(address, { method, headers, body: media ? body : undefined })
    let text = await response.text()
    if (response.headers.get('Content-Type')?.includes('json') && text) text = JSON.stringify(JSON.parse(text), null, 2)
    return {
      status: response.status,
      ms: performance.now() - began,
      text,
      headers: shownHeaders.flatMap((name): [string, string][] =>
        response.headers.has(name) ? [[name, response.headers.get(name)!]] : [],
      ),
    }
  } catch (error) {
    return { status: 0, ms: performance.now() - began, headers: [], text: wordsOf(error) }
  }
}

const read = async <T>(path: string): Promise<T> => (await ask<T>(path)).body

const pairPath = (pair: string, from: string, to: string) =>
  `/pairs/${pair}/${encodeURIComponent(from)}/${encodeURIComponent(to)}`

const dropped = (names: string[]): Record<string, string> => (names.length ? { drop: names.join(',') } : {})

export const api = {
  whoami: () => read<Schemas['Caller']>('/session'),
  signIn: async (codeOrKey: string) =>
    (await ask<{ key: OperatorKey }>('/session', { method: 'POST', body: { with: codeOrKey } })).body.key,
  signOut: () => ask('/session', { method: 'DELETE' }),
  described: () => read<unknown>('/openapi.json'),
  call,
  outline: () => read<Outline>('/design/outline'),
  status: () => read<Status>('/status'),
  history: () => read<Schemas['History']>('/status/history'),
  removal: (document: string) => read<Schemas['Removal']>(`/removal?${new URLSearchParams({ document })}`),
  changes: (limit: number) => read<{ changes: Change[] }>(`/changes?limit=${limit}`),
  document: (path: string) => read<Document>(`/collections/${path}`),
  list: (path: string, query: Record<string, string | number> = {}) => {
    const q = new URLSearchParams(
      Object.entries(query)
        .filter(([, v]) => v !== '')
        .map(([k, v]) => [k, String(v)]),
    )
    return read<DocumentPage>(`/collections/${path}?${q}`)
  },
  /** A page of a list of the design, as an account sees it. */
  named: async (list: string, of: string, query: Record<string, string | number>, as: string) => {
    const q = new URLSearchParams(
      Object.entries(query)
        .filter(([, v]) => v !== '')
        .map(([k, v]) => [k, String(v)]),
    )
    return (await ask<DocumentPage>(`/lists/${list}${of && `/${encodeURIComponent(of)}`}?${q}`, { as })).body
  },
  /** The first page of an account's timeline, with the account's marks by some names. */
  timeline: async (timeline: string, owner: string, limit: number, marks: string[]) => {
    const q = new URLSearchParams({ limit: String(limit), marks: marks.join(',') })
    return (
      await ask<Schemas['TimelinePage']>(`/timelines/${timeline}/${encodeURIComponent(owner)}?${q}`, { as: owner })
    ).body
  },
  create: (collection: string, facts: Values, as: string, id = '') =>
    ask<Document>(`/collections/${collection}`, { method: 'POST', body: id ? { id, facts } : { facts }, as }),
  patch: (path: string, facts: Values, as: string, version?: number) =>
    ask<Document>(`/collections/${path}`, {
      method: 'PATCH',
      body: { facts },
      media: 'application/merge-patch+json',
      as,
      version,
    }),
  remove: (path: string, as: string) => ask<Document>(`/collections/${path}`, { method: 'DELETE', as }),
  pair: (pair: string, from: string, to: string) => read<PairState>(pairPath(pair, from, to)),
  setPair: (pair: string, from: string, to: string, facts?: Values) =>
    ask(pairPath(pair, from, to), { method: 'PUT', as: from, body: facts && { facts } }),
  unsetPair: (pair: string, from: string, to: string) => ask(pairPath(pair, from, to), { method: 'DELETE', as: from }),
  parked: () => read<{ parked: Parked[] }>('/parked?limit=200'),
  retryParked: async () => (await ask<{ retried: number }>('/parked/retry', { method: 'POST' })).body,
  retryOne: (work: number) => ask(`/parked/${work}/retry`, { method: 'POST' }),
  dropParked: (work: number) => ask(`/parked/${work}`, { method: 'DELETE' }),
  replay: async (trigger: string, from: number) =>
    (
      await ask<{ replayed: number }>(`/triggers/${encodeURIComponent(trigger)}/replay`, {
        method: 'POST',
        body: { from },
      })
    ).body,
  forget: async (document: string) => (await ask<Forgotten>('/forgotten', { method: 'POST', body: { document } })).body,
  forgotten: (id: string) => read<Forgotten>(`/forgotten/${encodeURIComponent(id)}`),
  cascade: (position: string) => read<Cascade>(`/changes/${encodeURIComponent(position)}/cascade`),
  whyEntry: (timeline: string, owner: string, entry: string) =>
    read<Why>(`/why/entry?${new URLSearchParams({ timeline, owner, entry })}`),
  whyKept: (document: string, name: string) => read<Sources>(`/why/kept?${new URLSearchParams({ document, name })}`),
  places: (document: string) => read<{ places: Place[] }>(`/places?${new URLSearchParams({ document })}`),
  tryAccess: async (trial: Trial) => (await ask<Outcome>('/access/try', { method: 'POST', body: trial })).body,
  versions: () => read<{ versions: DesignVersion[] }>('/design/versions?limit=50'),
  brought: () => read<{ brought: Brought[] }>('/brought'),
  misfits: () => read<{ misfits: Misfits[] }>('/misfits'),
  difference: async (name: string, source: string) =>
    (
      await ask<Difference>(`/design/difference?${new URLSearchParams({ name })}`, {
        method: 'POST',
        text: source,
        media: 'application/yaml',
      })
    ).body,
  differenceBack: (version: number) => read<Difference>(`/design/versions/${version}/difference`),
  applyDesign: (name: string, source: string, base: number, drop: string[]) =>
    ask(`/design?${new URLSearchParams({ name, ...dropped(drop) })}`, {
      method: 'PUT',
      text: source,
      media: 'application/yaml',
      version: base,
    }),
  goBack: (version: number, base: number, drop: string[]) =>
    ask(`/design/versions/${version}/apply?${new URLSearchParams(dropped(drop))}`, { method: 'POST', version: base }),
  audits: () => read<Schemas['Audits']>('/audits?limit=20'),
  drift: (id: number) => read<{ drift: Drift[] }>(`/audits/${id}/drift?limit=200`),
  beginAudit: (duplicate: string) => ask<Audit>('/audits', { method: 'POST', body: duplicate ? { duplicate } : {} }),
  auditAct: (id: number, act: 'stop' | 'resume' | 'mend') => ask<Audit>(`/audits/${id}/${act}`, { method: 'POST' }),
  scheduleAudit: (seconds: number) => ask('/audits/schedule', { method: 'PUT', body: { every_seconds: seconds } }),
  /** Resolves when everything that follows from a position has been done. */
  settled: (position: string) => read<Status>(`/status?settled=${encodeURIComponent(position)}&patience=30`),
}

/** What went wrong, in words for the person who looks at the page. */
export function wordsOf(error: unknown): string {
  if (error instanceof Problem) {
    return [
      error.message,
      ...error.mistakes.map((m) => (m.pointer === '/facts' ? m.detail : `${m.pointer} ${m.detail}`)),
    ].join(' · ')
  }
  return error instanceof Error ? error.message : String(error)
}
