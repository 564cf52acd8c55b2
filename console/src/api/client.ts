// The service's HTTP API, as the console uses it. Paths, parameters and answers come from the
// service's own OpenAPI document; those that the design in force decides are asked for by hand.
import createClient from 'openapi-fetch'
import type { Schema } from '../editor/schema'
import type { components, paths } from './schema.gen'

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
export type OutlineScreen = Outline['screens'][number]

/** What a screen shows, and what the service has read for it. */
export interface ScreenAnswer {
  parts: Record<string, ScreenPart>
}
export type ScreenPart = Partial<Document> & { entries?: Entry[]; documents?: Document[] }

export type Forecast = Schemas['Forecast']
export type ForecastCost = Schemas['ForecastCost']
export type Break = Schemas['Break']
export type DesignGraph = Schemas['DesignGraph']
export type DesignThing = Schemas['DesignThing']
export type DesignMember = Schemas['DesignMember']
export type Draft = Schemas['Draft']
export type Finding = Schemas['Finding']
export type DesignCosts = Schemas['DesignCosts']
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
}

/** Sees that an answer is one, and throws the service's refusal if it is not. */
async function answered(response: Response): Promise<Response> {
  if (response.ok) return response
  if (response.status === 401) window.dispatchEvent(new Event(signedOut))
  const json = response.headers.get('Content-Type')?.includes('json')
  const said = json ? ((await response.json()) as Schemas['Problem']) : undefined
  throw new Problem(response.status, said?.code ?? '', said?.detail ?? response.statusText, said?.errors ?? [])
}

const unanswered = () => new Problem(0, 'unreachable', 'The service does not answer.', [])

/** Calls of paths that depend on the design in force: what they answer is typed by who asks. */
async function ask<T>(path: string, asked: Asked = {}): Promise<Answer<T>> {
  const headers: Record<string, string> = {}
  if (asked.body !== undefined) headers['Content-Type'] = asked.media ?? 'application/json'
  if (asked.as) headers['Yalvo-As'] = asked.as
  if (asked.version) headers['If-Match'] = `"${asked.version}"`
  let response: Response
  try {
    response = await fetch(`/v1${path}`, { method: asked.method ?? 'GET', headers, body: JSON.stringify(asked.body) })
  } catch {
    throw unanswered()
  }
  await answered(response)
  const text = await response.text()
  return { body: (text && JSON.parse(text)) as T, position: response.headers.get('Yalvo-Position') ?? '' }
}

/** Calls that are the same for all designs: paths, parameters and answers are typed by the OpenAPI document. */
const service = createClient<paths>()
service.use({
  onResponse: async ({ response }) => {
    await answered(response)
  },
  onError: ({ error }) => (error instanceof Problem ? error : unanswered()),
})

/** What a call of the service answers. */
async function told<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T
}

/** A body that is text and no JSON. */
const text = (source: string) => ({
  body: source as never,
  bodySerializer: () => source,
  headers: { 'Content-Type': 'application/yaml' },
})

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

const read = async <T>(path: string, as = ''): Promise<T> => (await ask<T>(path, { as })).body

const pairPath = (pair: string, from: string, to: string) =>
  `/pairs/${pair}/${encodeURIComponent(from)}/${encodeURIComponent(to)}`

const queryOf = (query: Record<string, string | number>) =>
  new URLSearchParams(
    Object.entries(query)
      .filter(([, v]) => v !== '')
      .map(([k, v]) => [k, String(v)]),
  )

const dropped = (names: string[]) => (names.length ? names.join(',') : undefined)
const match = (version: number) => ({ 'If-Match': `"${version}"` })

export const api = {
  whoami: () => told(service.GET('/v1/session')),
  signIn: async (codeOrKey: string) => (await told(service.POST('/v1/session', { body: { with: codeOrKey } }))).key,
  signOut: () => told(service.DELETE('/v1/session')),
  described: () => told(service.GET('/v1/openapi.json')),
  call,
  outline: () => told(service.GET('/v1/design/outline')),
  status: () => told(service.GET('/v1/status')),
  history: () => told(service.GET('/v1/status/history')),
  removal: (document: string) => told(service.GET('/v1/removal', { params: { query: { document } } })),
  changes: (limit: number) => told(service.GET('/v1/changes', { params: { query: { limit } } })),
  document: (path: string) => read<Document>(`/collections/${path}`),
  list: (path: string, query: Record<string, string | number> = {}) =>
    read<DocumentPage>(`/collections/${path}?${queryOf(query)}`),
  /** A page of a list of the design, as an account sees it. */
  named: async (list: string, of: string, query: Record<string, string | number>, as: string) =>
    (await ask<DocumentPage>(`/lists/${list}${of && `/${encodeURIComponent(of)}`}?${queryOf(query)}`, { as })).body,
  /** A screen as an account sees it, with its marks. */
  screen: (screen: string, of: string, query: Record<string, string | number>, as: string) =>
    read<ScreenAnswer>(`/screens/${screen}${of && `/${encodeURIComponent(of)}`}?${queryOf(query)}`, as),
  /** The first page of an account's timeline, with the account's marks by some names. */
  timeline: async (timeline: string, owner: string, limit: number, marks: string[]) => {
    const query = queryOf({ limit, marks: marks.join(',') })
    return (await ask<TimelinePage>(`/timelines/${timeline}/${encodeURIComponent(owner)}?${query}`, { as: owner })).body
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
  parked: () => told(service.GET('/v1/parked', { params: { query: { limit: 200 } } })),
  retryParked: () => told(service.POST('/v1/parked/retry')),
  retryOne: (id: number) => told(service.POST('/v1/parked/{id}/retry', { params: { path: { id } } })),
  dropParked: (id: number) => told(service.DELETE('/v1/parked/{id}', { params: { path: { id } } })),
  replay: (trigger: string, from: number) =>
    told(service.POST('/v1/triggers/{trigger}/replay', { params: { path: { trigger } }, body: { from } })),
  forget: (document: string) => told(service.POST('/v1/forgotten', { body: { document } })),
  forgotten: (id: string) => told(service.GET('/v1/forgotten/{id}', { params: { path: { id: Number(id) } } })),
  cascade: (position: string) =>
    told(service.GET('/v1/changes/{position}/cascade', { params: { path: { position: Number(position) } } })),
  whyEntry: (timeline: string, owner: string, entry: string) =>
    told(service.GET('/v1/why/entry', { params: { query: { timeline, owner, entry } } })),
  whyKept: (document: string, name: string) =>
    told(service.GET('/v1/why/kept', { params: { query: { document, name } } })),
  places: (document: string) => told(service.GET('/v1/places', { params: { query: { document } } })),
  tryAccess: (trial: Trial) => told(service.POST('/v1/access/try', { body: trial })),
  /** A design as things and what runs between them; the one in force without a source. */
  graph: (source = '') => told(service.POST('/v1/design/graph', source ? text(source) : {})),
  /** What the design in force costs, with so many times as many accounts and some values in place of its own. */
  forecast: (times: number, set: string[]) =>
    told(service.POST('/v1/design/forecast', { params: { query: { times, ...(set.length && { set }) } } })),
  /** The forecast of another design than the one in force. */
  forecastOf: (source: string) => told(service.POST('/v1/design/forecast', text(source))),
  findings: (source: string) => told(service.POST('/v1/design/findings', text(source))),
  source: async () => await (await answered(await fetch('/v1/design'))).text(),
  designSchema: async () => (await (await answered(await fetch('/v1/design/schema.json'))).json()) as Schema,
  drafts: async () => (await told(service.GET('/v1/design/drafts'))).drafts,
  draft: (draft: string) => told(service.GET('/v1/design/drafts/{draft}', { params: { path: { draft } } })),
  /** Keeps a draft in place of an edition; a new one with edition 0. */
  keepDraft: (draft: string, source: string, edition: number, base?: number) => {
    const { headers, ...rest } = text(source)
    const params = { path: { draft }, query: { base } }
    return told(
      service.PUT('/v1/design/drafts/{draft}', {
        params,
        headers: { ...headers, ...(edition ? match(edition) : {}) },
        ...rest,
      }),
    )
  },
  dropDraft: (draft: string, edition: number) =>
    told(service.DELETE('/v1/design/drafts/{draft}', { params: { path: { draft } }, headers: match(edition) })),
  versions: () => told(service.GET('/v1/design/versions', { params: { query: { limit: 50 } } })),
  brought: () => told(service.GET('/v1/brought')),
  misfits: () => told(service.GET('/v1/misfits')),
  difference: (name: string, source: string) =>
    told(service.POST('/v1/design/difference', { params: { query: { name } }, ...text(source) })),
  differenceBack: (version: number) =>
    told(service.GET('/v1/design/versions/{version}/difference', { params: { path: { version } } })),
  applyDesign: (name: string, source: string, base: number, drop: string[]) => {
    const { headers, ...rest } = text(source)
    const query = { name, drop: dropped(drop) }
    return told(service.PUT('/v1/design', { params: { query }, headers: { ...headers, ...match(base) }, ...rest }))
  },
  goBack: (version: number, base: number, drop: string[]) =>
    told(
      service.POST('/v1/design/versions/{version}/apply', {
        params: { path: { version }, query: { drop: dropped(drop) } },
        headers: match(base),
      }),
    ),
  audits: () => told(service.GET('/v1/audits', { params: { query: { limit: 20 } } })),
  drift: (id: number) =>
    told(service.GET('/v1/audits/{id}/drift', { params: { path: { id }, query: { limit: 200 } } })),
  beginAudit: (duplicate: string) => told(service.POST('/v1/audits', { body: duplicate ? { duplicate } : {} })),
  auditAct: (id: number, act: 'stop' | 'resume' | 'mend') =>
    told(service.POST(`/v1/audits/{id}/${act}`, { params: { path: { id } } })),
  scheduleAudit: (seconds: number) => told(service.PUT('/v1/audits/schedule', { body: { every_seconds: seconds } })),
  /** Resolves when everything that follows from a position has been done. */
  settled: (position: string) =>
    told(service.GET('/v1/status', { params: { query: { settled: position, patience: 30 } } })),
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
