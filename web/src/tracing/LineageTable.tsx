import { Box, chakra, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { ColumnLineage, LineageGraph } from '../api/client'
import { carries } from './layout'
import { Head } from '../shell/parts'

const cell = { px: '2', py: '0.5', borderBottom: '1px solid', borderColor: 'line', verticalAlign: 'top' } as const

/** The lineage of one column for those who would rather read: from where, how, and through which views. */
export function LineageTable({ column, graph }: { column: ColumnLineage; graph: LineageGraph }) {
  const rows = [...column.carries.map((r) => ({ ...r, carried: true })), ...column.influences.map((r) => ({ ...r, carried: false }))]
  return (
    <Box flex="1" minH="0" overflow="auto" p="3">
      <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" bg="sheet" data-testid="lineage-table">
        <Head sticky="sheet" names={['from', 'column', 'how', 'through']} />
        <tbody>
          {rows.map((r, i) => (
            <tr key={i}>
              <chakra.td {...cell}>{r.table}</chakra.td>
              <chakra.td {...cell} fontFamily="mono">
                {r.column || <chakra.span color="faint">its rows</chakra.span>}
              </chakra.td>
              <chakra.td {...cell} color={r.carried ? 'folded' : 'faint'}>
                {r.carried ? r.via : r.column ? `influences by ${r.via}` : 'influence which rows there are'}
              </chakra.td>
              <chakra.td {...cell} color="faint">
                {r.carried ? through(graph, `${r.table}\n${r.column}`).join(' → ') : ''}
              </chakra.td>
            </tr>
          ))}
        </tbody>
      </chakra.table>
      {rows.length === 0 && <Text color="faint">It comes from no source: it is a constant.</Text>}
    </Box>
  )
}

/** The views on the shortest way that a source's column takes. */
function through(graph: LineageGraph, from: string): string[] {
  const asked = graph.nodes.find((n) => n.role === 'asked')
  const ways = new Map<string, string[]>([[from, []]])
  for (const queue = [from]; queue.length > 0; ) {
    const at = queue.shift()!
    if (asked && at === `${asked.relation}\n${asked.column}`) return ways.get(at)!.slice(0, -1)
    for (const e of graph.edges) {
      const to = `${e.to.relation}\n${e.to.column}`
      if (carries(e.via) && `${e.from.relation}\n${e.from.column}` === at && !ways.has(to)) {
        ways.set(to, [...ways.get(at)!, e.to.relation])
        queue.push(to)
      }
    }
  }
  return []
}

/** All columns of a view with where they come from, each leading to its strands. */
export function Overview({ view, columns }: { view: string; columns: ColumnLineage[] }) {
  return (
    <Box flex="1" minH="0" overflow="auto" p="3">
      <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" bg="sheet" data-testid="lineage-overview">
        <Head sticky="sheet" names={['column', 'type', 'carries the values of', 'influenced by']} />
        <tbody>
          {columns.map((c) => {
            const influences = [...new Set(c.influences.filter((r) => r.column !== '').map((r) => `${r.table}.${r.column}`))]
            return (
              <tr key={c.name}>
                <chakra.td {...cell} fontFamily="mono">
                  <Link to={`/lineage/${view}.${encodeURIComponent(c.name)}`}>
                    <chakra.span color="tide">{c.name}</chakra.span>
                  </Link>
                </chakra.td>
                <chakra.td {...cell} color="faint">
                  {c.type}
                </chakra.td>
                <chakra.td {...cell}>
                  {c.carries.map((r) => (
                    <Text key={r.table + r.column + r.via}>
                      {r.table}.{r.column} <chakra.span color="faint">{r.via}</chakra.span>
                    </Text>
                  ))}
                  {c.carries.length === 0 && <chakra.span color="faint">no column: it is counted or constant</chakra.span>}
                </chakra.td>
                <chakra.td {...cell} color="faint" title={influences.join('\n')}>
                  {influences.length === 0 ? 'nothing' : `${influences.length} ${influences.length === 1 ? 'column' : 'columns'}`}
                </chakra.td>
              </tr>
            )
          })}
        </tbody>
      </chakra.table>
    </Box>
  )
}
