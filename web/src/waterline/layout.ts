// Where the parts of the waterline drawing lie: cards side by side in the
// order in which the operators read them, each operator above what it reads.
import type { Operator, Report } from '../api/client'

export const cardWidth = 268
export const gap = 14
export const opHeight = 30
export const opStep = 42
export const opWidth = 168

export interface Place {
  id: string
  x: number // centre
  y: number // top
}

export interface Layout {
  width: number
  waterline: number
  operators: (Place & { operator: Operator })[]
  cards: Place[] // x is the centre
  lines: { from: Place; to: Place; statement: string | null }[]
}

/** Operators that only name columns are left out of the drawing. */
const trivial = (o: Operator) => o.kind === 'compute' && o.label === 'name columns' && o.inputs.length === 1

export function lay(report: Report, available: number): Layout {
  const byId = new Map(report.operators.map((o) => [o.id, o]))
  const skip = (id: string): string => {
    const o = byId.get(id)
    return o && trivial(o) ? skip(o.inputs[0]!) : id
  }
  const root = skip(report.operators[0]?.id ?? report.statements[0]?.id ?? '')
  const order: string[] = []
  const depth = new Map<string, number>()
  const walk = (id: string, d: number) => {
    const o = byId.get(id)
    if (!o) {
      if (!order.includes(id)) order.push(id)
      return
    }
    depth.set(id, d)
    o.inputs.forEach((i) => walk(skip(i), d + 1))
  }
  if (root) walk(root, 0)
  const levels = Math.max(0, ...depth.values()) + (depth.size > 0 ? 1 : 0)
  const top = 28 // the result stands above
  const waterline = top + levels * opStep + 16
  const need = order.length * cardWidth + (order.length + 1) * gap
  const width = Math.max(available, need)
  const x = new Map<string, number>()
  const slot = width / Math.max(order.length, 1)
  order.forEach((id, i) => x.set(id, need >= available ? gap + i * (cardWidth + gap) + cardWidth / 2 : slot * (i + 0.5)))
  const centre = (id: string): number => {
    const known = x.get(id)
    if (known !== undefined) return known
    const at = (byId.get(id)?.inputs ?? []).map((i) => centre(skip(i)))
    const mean = at.length ? at.reduce((a, b) => a + b, 0) / at.length : width / 2
    x.set(id, mean)
    return mean
  }
  const operators = [...depth].map(([id, d]) => ({ id, x: centre(id), y: top + d * opStep, operator: byId.get(id)! }))
  const cards = order.map((id) => ({ id, x: centre(id), y: waterline + 34 }))
  const places = new Map<string, Place>([...operators, ...cards].map((p) => [p.id, p]))
  const lines: Layout['lines'] = []
  const result = { id: 'result', x: root ? centre(root) : width / 2, y: 2 }
  for (const { id, operator } of operators)
    for (const input of operator.inputs) {
      const from = places.get(skip(input))!
      lines.push({ from, to: places.get(id)!, statement: byId.has(skip(input)) ? null : skip(input) })
    }
  if (root) lines.push({ from: places.get(root)!, to: result, statement: byId.has(root) ? null : root })
  return { width, waterline, operators, cards, lines }
}

/** How thick a line of so many rows is, in pixels. */
export const thickness = (rows: number) => 1.5 + Math.min(12, Math.log10(Math.max(rows, 1)) * 2)
