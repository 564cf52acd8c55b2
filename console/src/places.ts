/** The places of the console, as the work goes: design an app, look at it, see that it is true, keep it running. Each
 * begins with the page that answers its question. */
export const places = [
  {
    name: 'Design',
    pages: [
      { name: 'Picture', route: 'picture', path: '/design/picture' },
      { name: 'Drafts', route: 'drafts', path: '/design/drafts' },
      { name: 'Forecast', route: 'forecast', path: '/design/forecast' },
      { name: 'Versions', route: 'design', path: '/design' },
      { name: 'Access', route: 'access', path: '/access' },
    ],
  },
  {
    name: 'App',
    pages: [
      { name: 'Screens', route: 'screens', path: '/screens' },
      { name: 'Side by side', route: 'together', path: '/together' },
      { name: 'Documents', route: 'documents', path: '/documents' },
      { name: 'Lists', route: 'lists', path: '/lists' },
      { name: 'Calls', route: 'calls', path: '/calls' },
    ],
  },
  {
    name: 'Truth',
    pages: [
      { name: 'Up to date', route: 'settled', path: '/' },
      { name: 'Audit', route: 'audit', path: '/audit' },
    ],
  },
  { name: 'Operating', pages: [{ name: 'Parked work', route: 'parked', path: '/parked' }] },
]

/** The place that a page belongs to: those that are reached from other pages alone belong to where that is. */
export function placeOfRoute(route: string) {
  const of: Record<string, string> = { change: 'settled', draft: 'drafts', forgotten: 'documents' }
  const page = of[route] ?? route
  return { page, place: places.find((p) => p.pages.some((x) => x.route === page)) }
}
