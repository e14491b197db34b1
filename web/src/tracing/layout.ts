// Where the relations of a lineage graph stand, and which strands lead between them.
import type { LineageGraph, LineageEdge, LineageNode } from '../api/client'
import type { Group } from './groups'

export interface Row {
  column: string
  type: string
  asked: boolean
  y: number // of its middle, from the card's top
}

export interface Card {
  relation: string
  group?: Group // of which it stands for the relations
  source: boolean
  opaque: boolean
  depth: number
  rows: Row[]
  influencing: LineageNode[] // columns that only influence
  x: number
  y: number
  height: number
}

/** A strand carries values from one column to another, through steps that leave them as they are. */
export interface Strand {
  from: LineageNode
  to: LineageNode
  via: string
  steps: string[]
  edges: LineageEdge[]
  path: string
  knots: Point[] // for the steps, of which the first and the last are named
}

export interface Point {
  x: number
  y: number
}

/** All influences of one relation on another. */
export interface Shade {
  from: string
  to: string
  edges: LineageEdge[]
  path: string
}

export interface Layout {
  cards: Card[]
  strands: Strand[]
  shades: Shade[]
  width: number
  height: number
  cardWidth: number
}

/** A place of its own in a column of cards that a bundle of strands passes through. */
interface Lane {
  depth: number
  x: number
  y: number
  height: number
}

type Placed = Card | Lane

export const headHeight = 36
export const rowHeight = 18

const keyOf = (n: LineageNode) => `${n.relation}\n${n.column}`

export const carries = (via: string) => via === 'unchanged' || via === 'transformed' || via === 'aggregated'

/** How many relations of a graph a picture without folding would show beside each other. */
export function depths(graph: LineageGraph, influences: boolean): number {
  return new Set(graph.nodes.filter((n) => n.column !== '' && (influences || n.role !== 'influences')).map((n) => n.depth)).size
}

/** Lays a graph out from left to right, in the order in which values flow. */
export function lay(graph: LineageGraph, options: { influences: boolean; folded: boolean; groups: Map<string, Group> }, width: number): Layout {
  const nodes = graph.nodes.filter((n) => n.column !== '' && (options.influences || n.role !== 'influences'))
  const info = new Map(nodes.map((n) => [keyOf(n), n]))
  let strands: Strand[] = graph.edges
    .filter((e) => carries(e.via) && info.has(keyOf(e.from)) && info.has(keyOf(e.to)) && info.get(keyOf(e.from))!.role !== 'influences' && info.get(keyOf(e.to))!.role !== 'influences')
    .map((e) => ({ from: e.from, to: e.to, via: e.via, steps: [], edges: [e], path: '', knots: [] }))
  const gone = options.folded ? foldSteps(nodes.filter((n) => !options.groups.has(n.relation)), (s) => (strands = s), strands) : new Set<string>()

  const cards = new Map<string, Card>()
  for (const n of nodes) {
    if (gone.has(n.relation)) continue
    const card = cards.get(n.relation) ?? { relation: n.relation, group: options.groups.get(n.relation), source: n.layer === 0, opaque: n.opaque, depth: n.depth, rows: [], influencing: [], x: 0, y: 0, height: 0 }
    cards.set(n.relation, card)
    if (n.role === 'influences') card.influencing.push(n)
    else card.rows.push({ column: n.column, type: n.type, asked: n.role === 'asked', y: 0 })
  }
  const shades = options.influences ? shade(graph.edges, cards, info) : []
  nearReaders(cards, strands, shades)
  const columns = [...new Set([...cards.values()].map((c) => c.depth))].sort((a, b) => a - b)
  const gap = strands.some((s) => s.steps.length > 0) ? Math.max(96, Math.min(200, (width - 24 - 170 * columns.length) / Math.max(1, columns.length - 1)))  : columns.length > 6 ? 34 : columns.length > 4 ? 44 : 64
  const cardWidth = Math.max(columns.length > 6 ? 118 : 132, Math.min(216, (width - 24 - gap * (columns.length - 1)) / Math.max(1, columns.length)))
  const bundles = new Map<string, Lane[]>() // by the relations at their ends
  for (const [from, to] of ends(strands, shades)) {
    const key = `${from}\n${to}`
    const between = columns.filter((d) => d > cards.get(from)!.depth && d < cards.get(to)!.depth)
    if (between.length === 0 || bundles.has(key)) continue
    const many = strands.filter((s) => s.from.relation === from && s.to.relation === to).length + shades.filter((s) => s.from === from && s.to === to).length
    bundles.set(key, between.map((depth) => ({ depth, x: 0, y: 0, height: laneStep * (many + 1) })))
  }
  const height = place(cards, bundles, strands, shades, columns, cardWidth, gap)
  const used = new Map<string, number>() // strands of a bundle that have their place
  const lanesOf = (from: string, to: string) => {
    const key = `${from}\n${to}`
    const nth = (used.get(key) ?? 0) + 1
    used.set(key, nth)
    return (bundles.get(key) ?? []).map((l) => ({ left: l.x, right: l.x + cardWidth, y: l.y + laneStep * nth }))
  }

  const at = (n: LineageNode) => {
    const card = cards.get(n.relation)!
    return { left: card.x, right: card.x + cardWidth, y: card.y + card.rows.find((r) => r.column === n.column)!.y }
  }
  for (const s of strands) {
    const a = at(s.from)
    const b = at(s.to)
    const lanes = lanesOf(s.from.relation, s.to.relation)
    s.path = through(a.right, a.y, lanes, b.left, b.y)
    const next = lanes[0] ?? b
    const n = Math.min(2, s.steps.length)
    s.knots = Array.from({ length: n }, (_, i) => along(a.right, a.y, next.left, next.y, (i + 1) / (n + 1)))
  }
  for (const s of shades) {
    const a = cards.get(s.from)!
    const b = cards.get(s.to)!
    s.path = through(a.x + cardWidth, a.y + a.height - 8, lanesOf(s.from, s.to), b.x, b.y + 12)
  }
  return { cards: [...cards.values()], strands, shades, cardWidth, width: 12 + columns.length * (cardWidth + gap) - gap + 12, height }
}

const laneStep = 5

/** The relations at the ends of strands and shades, those without values last. */
const ends = (strands: Strand[], shades: Shade[]): [string, string][] => [...strands.map((s): [string, string] => [s.from.relation, s.to.relation]), ...shades.map((s): [string, string] => [s.from, s.to])]

/** A curve from one place to another, straight through the lanes between. */
function through(x1: number, y1: number, lanes: { left: number; right: number; y: number }[], x2: number, y2: number): string {
  let path = `M${x1} ${y1}`
  const to = (x: number, y: number) => {
    const bend = bendOf(x1, x)
    path += ` C${x1 + bend} ${y1} ${x - bend} ${y} ${x} ${y}`
  }
  for (const l of lanes) {
    to(l.left, l.y)
    path += ` H${l.right}`
    x1 = l.right
    y1 = l.y
  }
  to(x2, y2)
  return path
}

// Half way at most, so that a curve stays between its ends.
const bendOf = (x1: number, x2: number) => Math.abs(x2 - x1) / 2

/** A point of a curve, by its parameter from 0 to 1. */
function along(x1: number, y1: number, x2: number, y2: number, t: number): Point {
  const bend = bendOf(x1, x2)
  const at = (a: number, b: number, c: number, d: number) => (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t ** 3 * d
  return { x: at(x1, x1 + bend, x2 - bend, x2), y: at(y1, y1, y2, y2) }
}

/** Takes views out through which every value passes unchanged, one in and one out, and names them on the strand. */
function foldSteps(nodes: LineageGraph['nodes'], set: (s: Strand[]) => void, strands: Strand[]): Set<string> {
  const gone = new Set<string>()
  const into = new Map<string, Set<Strand>>()
  const out = new Map<string, Set<Strand>>()
  const tie = (s: Strand) => {
    for (const [map, end] of [[into, s.to], [out, s.from]] as const) map.set(keyOf(end), (map.get(keyOf(end)) ?? new Set<Strand>()).add(s))
  }
  const untie = (s: Strand) => {
    into.get(keyOf(s.to))!.delete(s)
    out.get(keyOf(s.from))!.delete(s)
  }
  strands.forEach(tie)
  const views = new Map<string, LineageGraph['nodes']>()
  for (const n of nodes) if (n.layer > 0) views.set(n.relation, [...(views.get(n.relation) ?? []), n])
  const only = (set?: Set<Strand>) => (set?.size === 1 ? [...set][0]! : null)
  for (const [view, own] of views) {
    if (!own.every((n) => n.role === 'carries' && only(into.get(keyOf(n)))?.via === 'unchanged' && only(out.get(keyOf(n))))) continue
    gone.add(view)
    for (const n of own) {
      const before = only(into.get(keyOf(n)))!
      const after = only(out.get(keyOf(n)))!
      untie(before)
      untie(after)
      tie({ ...after, from: before.from, steps: [...before.steps, view, ...after.steps], edges: [...before.edges, ...after.edges] })
    }
  }
  set([...into.values()].flatMap((s) => [...s]))
  return gone
}

/** One strand for all influences of a relation on another; those on a folded view are left to its readers. */
function shade(edges: LineageEdge[], cards: Map<string, Card>, info: Map<string, LineageGraph['nodes'][number]>): Shade[] {
  const out = new Map<string, Shade>()
  for (const e of edges) {
    const drawn = carries(e.via) && [e.from, e.to].every((n) => info.get(keyOf(n))?.role !== 'influences')
    if (drawn || e.from.relation === e.to.relation || !cards.has(e.from.relation) || !cards.has(e.to.relation)) continue
    const key = `${e.from.relation}\n${e.to.relation}`
    const s = out.get(key) ?? { from: e.from.relation, to: e.to.relation, edges: [], path: '' }
    if (e.from.column !== '') s.edges.push(e)
    if (s.edges.length > 0) out.set(key, s)
  }
  return [...out.values()]
}

/** Puts each source right before what first reads it, so that its strands pass behind no other card. */
function nearReaders(cards: Map<string, Card>, strands: Strand[], shades: Shade[]) {
  const depths = [...new Set([0, ...[...cards.values()].filter((c) => !c.source).map((c) => c.depth)])].sort((a, b) => a - b)
  for (const c of cards.values()) {
    if (!c.source) continue
    const readers = [...strands.filter((s) => s.from.relation === c.relation).map((s) => s.to.relation), ...shades.filter((s) => s.from === c.relation).map((s) => s.to)]
    const first = Math.min(...readers.map((r) => cards.get(r)!.depth))
    c.depth = Math.max(...depths.filter((d) => d < first), 0)
  }
}

/** Gives cards their places: columns by depth, within them near to what they are tied to. */
function place(cards: Map<string, Card>, bundles: Map<string, Lane[]>, strands: Strand[], shades: Shade[], columns: number[], cardWidth: number, gap: number): number {
  const apart = strands.some((s) => s.steps.length > 0) ? 30 : 14 // room for the names of steps
  const ties = new Map<Placed, Placed[]>()
  for (const [from, to] of ends(strands, shades)) {
    const way: Placed[] = [cards.get(from)!, ...(bundles.get(`${from}\n${to}`) ?? []), cards.get(to)!]
    for (let i = 1; i < way.length; i++) {
      for (const [a, b] of [[way[i - 1]!, way[i]!], [way[i]!, way[i - 1]!]] as const) {
        const of = ties.get(a)
        if (of) of.push(b)
        else ties.set(a, [b])
      }
    }
  }
  for (const c of cards.values()) {
    c.rows.sort((a, b) => a.column.localeCompare(b.column))
    c.rows.forEach((r, i) => (r.y = headHeight + i * rowHeight + rowHeight / 2))
    c.height = headHeight + c.rows.length * rowHeight + (c.influencing.length > 0 ? rowHeight : 0) + 4
  }
  const lanes = [...bundles.values()].flat()
  const groups = columns.map((d): Placed[] => [...[...cards.values()].filter((c) => c.depth === d).sort((a, b) => a.relation.localeCompare(b.relation)), ...lanes.filter((l) => l.depth === d)])
  const tall = (g: Placed[]) => g.reduce((h, c) => h + c.height + apart, -apart)
  const height = Math.max(60, ...groups.map(tall)) + 24
  const stack = (g: Placed[], i: number) => {
    let y = 12 + Math.max(0, (height - 24 - tall(g)) / 2)
    for (const c of g) {
      c.x = 12 + i * (cardWidth + gap)
      c.y = y
      y += c.height + apart
    }
  }
  groups.forEach(stack)
  const middleOf = (c: Placed) => c.y + c.height / 2
  const near = (c: Placed) => {
    const of = ties.get(c) ?? []
    return of.length === 0 ? middleOf(c) : of.reduce((sum, r) => sum + middleOf(r), 0) / of.length
  }
  for (let sweep = 0; sweep < 4; sweep++) {
    const order = groups.map((_, i) => (sweep % 2 === 0 ? groups.length - 1 - i : i))
    for (const i of order) {
      // Sources that join a chain of views on its way stand above it, so that the chain is a line.
      const wanted = new Map(groups[i]!.map((c) => [c, near(c) - ('source' in c && c.source && i > 0 ? c.height : 0)]))
      groups[i]!.sort((a, b) => wanted.get(a)! - wanted.get(b)!)
      stack(groups[i]!, i)
    }
  }
  return height
}
