// A lineage graph of very many relations, with those of a layer as one until they are opened.
import type { LineageEdge, LineageGraph, LineageNode } from '../api/client'

/** Past so many relations those of a layer are drawn as one, where there are more than fewOf. */
const manyRelations = 36
const fewOf = 6
/** How many relations of a group each opening shows. */
export const opened = 12

export interface Group {
  name: string // the relation that stands for it in the graph
  of: string // the layer or source
  relations: string[] // that it holds still
  shown: number
}

export interface Grouped {
  graph: LineageGraph
  groups: Map<string, Group> // by name
}

const ownerOf = (n: LineageNode & { layer?: number }) => n.relation.slice(0, n.relation.indexOf('.'))

/** Puts the relations of a layer that stand at one depth together; shown says how many of a group are drawn by themselves. */
export function grouped(graph: LineageGraph, shown: ReadonlyMap<string, number>, influences: boolean): Grouped {
  const drawn = graph.nodes.filter((n) => n.column !== '' && (influences || n.role !== 'influences'))
  const relations = new Map<string, { owner: string; depth: number; asked: boolean; carries: boolean }>()
  for (const n of drawn) {
    const r = relations.get(n.relation) ?? { owner: ownerOf(n), depth: n.depth, asked: false, carries: false }
    r.asked ||= n.role === 'asked'
    r.carries ||= n.role !== 'influences'
    relations.set(n.relation, r)
  }
  const groups = new Map<string, Group>()
  if (relations.size <= manyRelations) return { graph, groups }
  const together = new Map<string, string[]>()
  for (const [relation, r] of relations) {
    if (r.asked) continue
    const key = `${r.owner}@${r.depth}`
    together.set(key, [...(together.get(key) ?? []), relation])
  }
  const into = new Map<string, string>() // relation → group
  for (const [key, members] of together) {
    if (members.length <= fewOf) continue
    // Those that values pass come first, by name.
    members.sort((a, b) => Number(relations.get(b)!.carries) - Number(relations.get(a)!.carries) || a.localeCompare(b, undefined, { numeric: true }))
    const rest = members.slice(shown.get(key) ?? 0)
    if (rest.length <= 1) continue
    groups.set(key, { name: key, of: key.slice(0, key.lastIndexOf('@')), relations: rest, shown: shown.get(key) ?? 0 })
    for (const m of rest) into.set(m, key)
  }
  const nodes = new Map<string, LineageNode & LineageGraph['nodes'][number]>()
  for (const n of graph.nodes) {
    const group = into.get(n.relation)
    if (!group || n.column === '') {
      nodes.set(`${n.relation}\n${n.column}`, n)
      continue
    }
    const had = nodes.get(group)
    nodes.set(group, { ...n, relation: group, column: 'columns', type: '', opaque: false, role: had && had.role !== 'influences' ? had.role : n.role })
  }
  const end = (n: LineageNode): LineageNode => (into.has(n.relation) && n.column !== '' ? { relation: into.get(n.relation)!, column: 'columns' } : n)
  const edges = new Map<string, LineageEdge>()
  for (const e of graph.edges) {
    const from = end(e.from)
    const to = end(e.to)
    if (from.relation === to.relation && groups.has(from.relation)) continue
    const key = [from.relation, from.column, to.relation, to.column, e.via].join('\n')
    if (!edges.has(key)) edges.set(key, from === e.from && to === e.to ? e : { ...e, from, to })
  }
  return { graph: { ...graph, nodes: [...nodes.values()], edges: oneWay([...edges.values()], groups) }, groups }
}

/** Of the ways in which values pass between a group and another relation, the one that changes them most. */
function oneWay(edges: LineageEdge[], groups: Map<string, Group>): LineageEdge[] {
  const rank = ['unchanged', 'transformed', 'aggregated']
  const most = new Map<string, LineageEdge>()
  const out: LineageEdge[] = []
  for (const e of edges) {
    if (!rank.includes(e.via) || (!groups.has(e.from.relation) && !groups.has(e.to.relation))) {
      out.push(e)
      continue
    }
    const key = [e.from.relation, e.from.column, e.to.relation, e.to.column].join('\n')
    const had = most.get(key)
    if (!had || rank.indexOf(e.via) > rank.indexOf(had.via)) most.set(key, e)
  }
  return [...out, ...most.values()]
}
