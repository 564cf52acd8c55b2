// What the events of a live read make of a page. Every client of the service has such: this one is held against the
// Go client's by the same random pages, in a browser (tests/reducers_test.go).

/** What a page shows, as far as that matters here. */
export interface Item {
  path: string
  kept?: unknown
}

/** What an event says. */
export interface Told<I extends Item> {
  path?: string
  after?: string | null
  item?: I
  kept?: I['kept']
  beyond?: boolean // it may stand on the next page
}

/** The events that say what has happened to an item. */
export const happenings = ['removed', 'added', 'moved', 'changed', 'counts'] as const

/** Items after something has happened to one of them. */
export function after<I extends Item>(items: I[], name: (typeof happenings)[number], told: Told<I>): I[] {
  switch (name) {
    case 'removed':
      return items.filter((e) => e.path !== told.path)
    case 'added':
      return put(items, told.item!, told.after)
    case 'moved': {
      const item = items.find((e) => e.path === told.path)
      if (!item) return items
      const others = items.filter((e) => e !== item)
      return put(others, item, told.after)
    }
    case 'changed':
      return items.map((e) => (e.path === told.item!.path ? told.item! : e))
    case 'counts':
      return items.map((e) => (e.path === told.path ? { ...e, kept: told.kept! } : e))
  }
}

/** Items with another one behind the one of a path, in front if there is none. */
function put<I extends Item>(items: I[], item: I, behind: string | null | undefined): I[] {
  const at = items.findIndex((e) => e.path === behind) + 1
  return [...items.slice(0, at), item, ...items.slice(at)]
}
