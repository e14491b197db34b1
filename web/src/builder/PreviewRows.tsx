import { Box, chakra, Text } from '@chakra-ui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { api, type Query } from '../api/client'
import { count, isNumeric, millis } from '../lib/text'
import { ErrorLine } from '../shell/parts'

/** The first rows of a text as it is, read anew after each step. */
export function usePreview(query: Query, active: boolean) {
  const { sql, layer = '', view = '', params = [] } = query
  return useQuery({ queryKey: ['preview', sql, layer, view, params], queryFn: ({ signal }) => api.preview({ sql, layer, view, params }, signal), enabled: active && sql.trim() !== '', placeholderData: keepPreviousData, staleTime: 10_000, retry: false })
}

export function PreviewLine({ preview: p }: { preview: ReturnType<typeof usePreview> }) {
  if (p.isError) return <ErrorLine of={p.error} truncate title={p.error.message} />
  if (!p.data) return <Text>Reading the first rows…</Text>
  return (
    <Text data-testid="preview-line" data-state={p.isFetching ? 'reading' : 'read'}>
      <Box as="span" color="ink" fontWeight="600">
        preview
      </Box>{' '}
      {p.data.more ? `the first ${p.data.rows.length} rows` : `${count(p.data.rows.length)} rows, all there are`} · {count(p.data.crossed)} crossed · {millis(p.data.milliseconds)}
    </Text>
  )
}

export function PreviewRows({ preview: p }: { preview: ReturnType<typeof usePreview> }) {
  if (!p.data) return null
  const { columns, rows } = p.data
  return (
    <Box h="100%" overflow="auto" opacity={p.isFetching || p.isError ? 0.6 : 1} data-testid="preview">
      <chakra.table fontSize="12px" borderCollapse="collapse" fontFamily="mono">
        <chakra.thead position="sticky" top="0" bg="rail">
          <tr>
            {columns.map((c, i) => (
              <chakra.th key={i} px="2" py="0.5" fontWeight="400" textAlign={isNumeric(c.type) ? 'right' : 'left'} borderRight="1px solid" borderColor="line" title={c.type}>
                {c.name}
              </chakra.th>
            ))}
          </tr>
        </chakra.thead>
        <tbody>
          {rows.map((r, i) => (
            <tr key={i}>
              {r.map((v, n) => (
                <chakra.td key={n} px="2" maxW="260px" truncate whiteSpace="pre" textAlign={isNumeric(columns[n]?.type ?? '') ? 'right' : 'left'} borderRight="1px solid" borderBottom="1px solid" borderColor="line" color={v === null ? 'faint' : undefined} title={v ?? 'NULL'}>
                  {v ?? 'NULL'}
                </chakra.td>
              ))}
            </tr>
          ))}
        </tbody>
      </chakra.table>
    </Box>
  )
}
