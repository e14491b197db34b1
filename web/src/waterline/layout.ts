// Where the parts of the waterline drawing lie: cards side by side in the
// order in which the operators read them, each operator above what it reads.
// Operators that follow one another stand in one stack. Where the cards do not
// fit, all but one are folded up to their heads.
import type { Operator, Report } from '../api/client'

const cardWidth = 268
const narrowCard = { least: 190, most: 224 }
const headWidth = { least: 48, most: 78 }
const wideStack = 172
const narrowStack = 132

export interface Place {
  id: string
  x: number // centre
  y: number // top
  width: number
  height: number
}

export interface Layout {
  width: number
  waterline: number
  stacks: (Place & { operators: Operator[] })[] // the last one reads, the first one gives
  cards: (Place & { open: boolean })[]
  lines: { from: Place; to: Place; statement: string | null }[]
}

/** Operators that only name columns are left out of the drawing. */
const trivial = (o: Operator) => o.kind === 'compute' && o.label === 'name columns' && o.inputs.length === 1

const within = (bounds: { least: number; most: number }, n: number) => Math.min(bounds.most, Math.max(bounds.least, n))

/** Lays out a report; open is the statement whose card shows its text. */
export function lay(report: Report, available: number, open: string | null): Layout {
  const byId = new Map(report.operators.map((o) => [o.id, o]))
  const skip = (id: string): string => {
    const o = byId.get(id)
    return o && trivial(o) ? skip(o.inputs[0]!) : id
  }
  const root = skip(report.operators[0]?.id ?? report.statements[0]?.id ?? '')
  const order: string[] = []
  const stacks: Layout['stacks'] = []
  const many = report.statements.length > 4
  const gap = many ? 7 : 12
  const stackWidth = many ? narrowStack : wideStack
  const stackGap = many ? 11 : 18
  const rowHeight = rowOf(report)
  const top = 26 // the result stands above
  const walk = (id: string, y: number) => {
    const first = byId.get(id)
    if (!first) {
      if (!order.includes(id)) order.push(id)
      return
    }
    const operators = [first]
    let last = first
    while (last.inputs.length === 1) {
      const next = byId.get(skip(last.inputs[0]!))
      if (!next) break
      operators.push(next)
      last = next
    }
    const height = operators.length * rowHeight + 2
    stacks.push({ id, x: 0, y, width: stackWidth, height, operators })
    last.inputs.forEach((i) => walk(skip(i), y + height + stackGap))
  }
  if (root) walk(root, top)
  const waterline = Math.max(top, ...stacks.map((s) => s.y + s.height)) + 20
  const folded = order.length > 1 && order.length * cardWidth + (order.length + 1) * gap > available
  const room = available - (order.length + 1) * gap
  const card = folded && many ? within(narrowCard, room - (order.length - 1) * headWidth.least) : cardWidth
  const head = within(headWidth, (room - card) / (order.length - 1))
  const widths = order.map((id) => (folded && id !== (open ?? order[0]) ? head : card))
  const need = widths.reduce((a, b) => a + b, 0) + (order.length + 1) * gap
  const width = Math.max(available, need)
  const spare = (width - need) / Math.max(order.length, 1)
  const x = new Map<string, number>()
  let at = gap
  order.forEach((id, i) => {
    x.set(id, at + (widths[i]! + spare) / 2)
    at += widths[i]! + spare + gap
  })
  const stackOf = new Map(stacks.map((s) => [s.id, s]))
  const centre = (id: string): number => {
    const known = x.get(id)
    if (known !== undefined) return known
    const inputs = stackOf.get(id)?.operators.at(-1)?.inputs ?? []
    const below = inputs.map((i) => centre(skip(i)))
    const mean = below.length ? below.reduce((a, b) => a + b, 0) / below.length : width / 2
    const inside = Math.min(Math.max(mean, stackWidth / 2 + 4), width - stackWidth / 2 - 4)
    x.set(id, inside)
    return inside
  }
  for (const s of stacks) s.x = centre(s.id)
  apart(stacks, stackWidth)
  const cards = order.map((id, i) => ({ id, x: x.get(id)!, y: waterline + 34, width: widths[i]!, height: 0, open: widths[i] === card }))
  const places = new Map<string, Place>([...stacks, ...cards].map((p) => [p.id, p]))
  const lines: Layout['lines'] = []
  for (const s of stacks)
    for (const input of s.operators.at(-1)!.inputs) {
      const from = places.get(skip(input))!
      lines.push({ from, to: s, statement: byId.has(skip(input)) ? null : skip(input) })
    }
  if (root) {
    const from = places.get(root)!
    lines.push({ from, to: { id: 'result', x: from.x, y: 2, width: 0, height: 20 }, statement: byId.has(root) ? null : root })
  }
  return { width, waterline, stacks, cards, lines }
}

/** How high a line of a stack is: less where there are many. */
export const rowOf = (report: Report) => (report.statements.length > 4 ? 20 : 23)

/** Moves stacks that would overlap aside. */
function apart(stacks: Layout['stacks'], stackWidth: number) {
  stacks.sort((a, b) => a.y - b.y || a.x - b.x)
  for (let i = 0; i < stacks.length; i++)
    for (let j = 0; j < i; j++) {
      const a = stacks[j]!
      const b = stacks[i]!
      const overlap = a.y < b.y + b.height && b.y < a.y + a.height && Math.abs(a.x - b.x) < stackWidth + 6
      if (overlap) b.x = b.x >= a.x ? a.x + stackWidth + 8 : a.x - stackWidth - 8
    }
}

/** How thick a line of so many rows is, in pixels. */
export const thickness = (rows: number) => 1.5 + Math.min(12, Math.log10(Math.max(rows, 1)) * 2)
