import { api, type Catalog } from '../api/client'
import { localName } from '../sources/TableList'

export interface Relation {
  name: string
  short: string // the name without a schema that it needs not, or the name
  what: 'view' | 'table'
  source: string // empty for a view
  count: number // of columns
}

/** What can stand in FROM for a text of a layer: views that it may read, and tables. */
export function relationsFor(catalog: Catalog, layer: string, view: string): Relation[] {
  const rank = new Map(catalog.layers.map((l, i) => [l.name, i]))
  const own = layer ? (rank.get(layer) ?? Infinity) : Infinity
  const out: Relation[] = []
  for (const v of catalog.views) {
    if ((rank.get(v.layer) ?? 0) <= own && !(v.layer === layer && v.name === view)) out.push({ name: `${v.layer}.${v.name}`, short: `${v.layer}.${v.name}`, what: 'view', source: '', count: v.columns })
  }
  for (const s of catalog.sources) {
    const tables = s.found?.tables ?? []
    for (const t of tables) {
      if (s.hidden.includes(localName(t))) continue
      const name = [s.name, t.schema, t.name].filter(Boolean).join('.')
      const alone = tables.filter((o) => o.name === t.name).length === 1
      out.push({ name, short: alone ? `${s.name}.${t.name}` : name, what: 'table', source: s.name, count: t.columns?.length ?? 0 })
    }
  }
  return out
}

/** The relations whose names, in any of their forms, have all words in them; those that begin so come first. */
export function relationsLike(relations: Relation[], words: string): Relation[] {
  const wanted = words.toLowerCase().replace(/"/g, '').split(/\s+/).filter(Boolean)
  if (wanted.length === 0) return []
  const has = (r: Relation, w: string) => r.name.toLowerCase().includes(w) || r.short.toLowerCase().includes(w)
  const begins = (r: Relation) => (r.name.toLowerCase().startsWith(wanted[0]!) || r.short.toLowerCase().startsWith(wanted[0]!) ? 0 : 1)
  return relations.filter((r) => wanted.every((w) => has(r, w))).sort((a, b) => begins(a) - begins(b))
}

/** The columns of a relation: of a view they are asked for, once. */
export async function columnsOf(catalog: Catalog, name: string): Promise<{ name: string; type: string }[]> {
  for (const s of catalog.sources) {
    const t = s.found?.tables?.find((t) => name === [t.source, t.schema, t.name].filter(Boolean).join('.') || name === `${t.source}.${t.name}`)
    if (t) return t.columns ?? []
  }
  const known = views.get(name)
  const revision = catalog.views.find((v) => `${v.layer}.${v.name}` === name)?.revision
  if (revision === undefined) return []
  if (known?.revision === revision) return known.columns
  const { columns } = await api.view(name)
  views.set(name, { revision, columns })
  return columns
}

const views = new Map<string, { revision: number; columns: { name: string; type: string }[] }>()

export const addRelation = 'rovik-add-relation'

/** Offers relations to whatever form is open, as one that is dropped there would be. */
export function offerRelation(name: string) {
  window.dispatchEvent(new CustomEvent(addRelation, { detail: name }))
}
