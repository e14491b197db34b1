import type { components } from '../api/schema.gen'

type Schemas = components['schemas']
export type Shape = Schemas['Shape']
export type ShapeTable = Schemas['ShapeTable']
export type ShapeColumn = Schemas['ShapeColumn']
export type Trial = Schemas['Trial']

/** A table's place in a shape: which part of which part. */
export type Place = number[]

/** The tables of a shape, each before its parts. */
export function tablesOf(t: ShapeTable, at: Place = []): { table: ShapeTable; at: Place }[] {
  return [{ table: t, at }, ...(t.parts ?? []).flatMap((p, i) => tablesOf(p, [...at, i]))]
}

/** The table with what stands at a place replaced; null drops it. */
function replaced(t: ShapeTable, at: Place, next: ShapeTable | null): ShapeTable {
  const [first, ...rest] = at
  if (first === undefined) return next ?? t
  const parts = (t.parts ?? []).flatMap((p, i) => {
    if (i !== first) return [p]
    if (rest.length === 0) return next ? [next] : []
    return [replaced(p, rest, next)]
  })
  return { ...t, parts }
}

export const withTable = (s: Shape, at: Place, next: ShapeTable | null): Shape => ({ ...s, table: replaced(s.table, at, next) })

/** A shape in which a column has another name, for the parts that carry it too. */
export function renamed(t: ShapeTable, column: number, name: string): ShapeTable {
  const was = t.columns[column]!.name
  const columns = t.columns.map((c, i) => (i === column ? { ...c, name } : c))
  const parts = (t.parts ?? []).map((p) => ({ ...p, columns: p.columns.map((c) => (c.from === 'parent' && c.path === was ? { ...c, path: name } : c)) }))
  return { ...t, columns, parts }
}

/** A list with an element moved by some places. */
export function moved<T>(list: T[], from: number, by: number): T[] {
  const to = Math.max(0, Math.min(list.length - 1, from + by))
  const out = list.filter((_, i) => i !== from)
  out.splice(to, 0, list[from]!)
  return out
}

export const columnTypes = ['text', 'integer', 'bigint', 'numeric', 'double precision', 'boolean', 'date', 'timestamp', 'timestamptz', 'time', 'uuid', 'jsonb'] as const

export const misfits = [
  ['error', 'error'],
  ['null', 'NULL'],
  ['text', 'text'],
] as const
