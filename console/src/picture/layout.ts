// Where the things of a design stand, and how the lines between them run. ELK works it out, in a worker.
import ELK, { type ElkExtendedEdge, type ElkNode } from 'elkjs/lib/elk-api'
import ElkWorker from 'elkjs/lib/elk-worker.min.js?worker'
import type { DesignGraph, DesignThing } from '../api/client'

/** Sizes in pixels: a thing has a head and a row for each member. */
export const head = 26
export const row = 18

export interface Placed {
  thing: DesignThing
  x: number
  y: number
  width: number
  height: number
}

export interface Line {
  id: string
  from: string // a thing
  to: string
  by: string // the member that a tie is by; of a feed empty
  kind: 'points' | 'lies' | 'ends' | 'feeds'
  path: string // of an SVG
}

export interface Layout {
  placed: Map<string, Placed>
  lines: Line[]
}

const letter = 7.2 // a little more than the mean width of a letter

function widthOf(t: DesignThing): number {
  const rows = t.members.map((m) => (m.name.length + m.type.length) * letter + 34)
  return Math.max(110, t.name.length * letter * 1.1 + t.kind.length * 6 + 34, ...rows)
}

const isView = (t: DesignThing) => t.kind !== 'collection' && t.kind !== 'pair'

/** The thing that an id belongs to: that of a member begins with its. */
export function ownerOf(id: string): string {
  return id.split('.').slice(0, 2).join('.')
}

/** What feeds a view as a whole, each once. A screen is fed by what lists its documents: what those are made of is
 * seen there. What pairs feed runs across the collections: that is drawn when it is asked for. */
function feedsOfViews(g: DesignGraph): [from: string, to: string][] {
  const views = new Map(g.things.filter(isView).map((t) => [t.id, t]))
  const drawn = new Map<string, [string, string]>()
  for (const f of g.feeds) {
    const [from, to] = [ownerOf(f.from), ownerOf(f.to)]
    if (
      from === to ||
      from.startsWith('pairs.') ||
      !views.has(to) ||
      (views.get(to)!.kind === 'screen' && !views.has(from))
    )
      continue
    drawn.set(`${from} ${to}`, [from, to])
  }
  return [...drawn.values()]
}

/** The columns, from left to right, whatever feeds what. */
const column = { pair: 0, collection: 1, timeline: 2, list: 2, trigger: 2, screen: 3 }

const elk = new ELK({ workerFactory: () => new ElkWorker() })

const layers = {
  'elk.algorithm': 'layered',
  'elk.direction': 'RIGHT',
  'elk.edgeRouting': 'SPLINES',
  'elk.layered.spacing.nodeNodeBetweenLayers': '44',
  'elk.spacing.nodeNode': '6',
  'elk.layered.mergeEdges': 'true',
  'elk.layered.spacing.edgeNodeBetweenLayers': '10',
  'elk.spacing.edgeNode': '3',
  'elk.spacing.edgeEdge': '2',
  'elk.layered.nodePlacement.strategy': 'LINEAR_SEGMENTS',
  'elk.partitioning.activate': 'true',
  'elk.separateConnectedComponents': 'false',
}

/** Works out where everything stands. */
export async function layOut(g: DesignGraph): Promise<Layout> {
  const placed = new Map<string, Placed>()
  const children: ElkNode[] = g.things.map((t) => {
    const size = { width: widthOf(t), height: head + t.members.length * row }
    placed.set(t.id, { thing: t, x: 0, y: 0, ...size })
    return { id: t.id, ...size, layoutOptions: { 'elk.partitioning.partition': String(column[t.kind]) } }
  })
  const drawn: Omit<Line, 'path'>[] = [
    ...g.ties.filter((t) => t.from !== t.to).map((t, i) => ({ ...t, id: `tie${i}` })),
    ...feedsOfViews(g).map(([from, to], i) => ({ id: `feed${i}`, from, to, by: '', kind: 'feeds' as const })),
  ]
  // what is pointed at stands to the left of what points, and what is fed to the right of what feeds it
  const edges: ElkExtendedEdge[] = drawn.map((l) =>
    l.kind === 'feeds' || l.kind === 'ends'
      ? { id: l.id, sources: [l.from], targets: [l.to] }
      : { id: l.id, sources: [l.to], targets: [l.from] },
  )
  const done = await elk.layout({ id: 'design', layoutOptions: layers, children, edges })
  for (const n of done.children ?? []) Object.assign(placed.get(n.id)!, { x: n.x ?? 0, y: n.y ?? 0 })
  const paths = new Map((done.edges as ElkExtendedEdge[]).map((e) => [e.id, pathOf(e)]))
  return { placed, lines: drawn.map((l) => ({ ...l, path: paths.get(l.id) ?? '' })) }
}

/** The curve from a row to another, where no line has been laid out: out of the side that is nearer. */
export function curve(layout: Layout, from: string, to: string): string {
  const [a, b] = [layout.placed.get(ownerOf(from)), layout.placed.get(ownerOf(to))]
  if (!a || !b) return ''
  const forth = b.x >= a.x + a.width
  const [x1, x2] = a === b ? [a.x + a.width, a.x + a.width] : forth ? [a.x + a.width, b.x] : [a.x, b.x + b.width]
  const [y1, y2] = [middleOf(a, from), middleOf(b, to)]
  const bend = a === b ? 40 : Math.max(30, Math.abs(x2 - x1) / 2)
  const [c1, c2] = a === b ? [x1 + bend, x2 + bend] : forth ? [x1 + bend, x2 - bend] : [x1 - bend, x2 + bend]
  return `M ${x1} ${y1} C ${c1} ${y1} ${c2} ${y2} ${x2} ${y2}`
}

/** The height at which the row of a member stands, or the head of a thing. */
function middleOf(p: Placed, id: string): number {
  const i = p.thing.members.findIndex((m) => m.id === id)
  return p.y + (i < 0 ? head / 2 : head + (i + 0.5) * row)
}

/** The path of an edge: its bends are the control points of curves, by threes. */
function pathOf(e: ElkExtendedEdge): string {
  const section = e.sections?.[0]
  if (!section) return ''
  const all = [...(section.bendPoints ?? []), section.endPoint].map((p) => `${p.x} ${p.y}`)
  let path = `M ${section.startPoint.x} ${section.startPoint.y}`
  let i = 0
  for (; i + 2 < all.length; i += 3) path += ` C ${all[i]} ${all[i + 1]} ${all[i + 2]}`
  for (; i < all.length; i++) path += ` L ${all[i]}`
  return path
}
