// What feeds a thing or a member, and what it feeds, all the way.
import type { DesignGraph, DesignMember, DesignThing } from '../api/client'

export interface Chosen {
  thing: DesignThing
  member?: DesignMember
}

/** Finds a thing or a member by its id. */
export function find(g: DesignGraph, id: string): Chosen | undefined {
  for (const thing of g.things) {
    if (thing.id === id) return { thing }
    const member = thing.members.find((m) => m.id === id)
    if (member) return { thing, member }
  }
  return undefined
}

function walk(next: Map<string, string[]>, from: string[]): Set<string> {
  const seen = new Set<string>()
  const waiting = [...from]
  for (let id = waiting.pop(); id !== undefined; id = waiting.pop()) {
    for (const to of next.get(id) ?? []) {
      if (seen.has(to)) continue
      seen.add(to)
      waiting.push(to)
    }
  }
  return seen
}

export interface Reach {
  sources: Set<string> // what feeds it, all the way
  fed: Set<string> // what it feeds, all the way
  direct: { sources: string[]; fed: string[] }
}

/** A collection stands for its members, too. */
export function reach(g: DesignGraph, chosen: Chosen): Reach {
  const forth = new Map<string, string[]>()
  const back = new Map<string, string[]>()
  for (const f of g.feeds) {
    forth.set(f.from, [...(forth.get(f.from) ?? []), f.to])
    back.set(f.to, [...(back.get(f.to) ?? []), f.from])
  }
  const ids = chosen.member ? [chosen.member.id] : [chosen.thing.id, ...chosen.thing.members.map((m) => m.id)]
  const others = (of: Map<string, string[]>) => [...new Set(ids.flatMap((id) => of.get(id) ?? []))]
  const apart = (all: Iterable<string>) => [...all].filter((id) => !ids.includes(id))
  return {
    sources: new Set(apart(walk(back, ids))),
    fed: new Set(apart(walk(forth, ids))),
    direct: { sources: apart(others(back)), fed: apart(others(forth)) },
  }
}
