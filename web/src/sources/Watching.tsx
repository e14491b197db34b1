import { Box, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { api, type SourceInfo } from '../api/client'
import { count, middle, millis, rows } from '../lib/text'
import { Differences } from './Differences'
import { ErrorLine } from '../shell/parts'

/** How the source was when it was last checked, in a few words. */
export function Health({ source }: { source: SourceInfo }) {
  const h = source.health
  if (!h) return null
  const at = new Date(h.at).toLocaleTimeString()
  if (h.state === 'well')
    return (
      <Text color="folded" whiteSpace="nowrap" title={`Checked ${new Date(h.at).toLocaleString()}`}>
        unchanged, checked at {at}
      </Text>
    )
  if (h.state === 'unreachable')
    return (
      <Text color="kept" whiteSpace="nowrap" role="status" title={h.error}>
        unreachable at {at}: {middle(h.error, 90)}
      </Text>
    )
  if (h.error)
    return (
      <Text color="narrowed" whiteSpace="nowrap" role="status" title={h.error}>
        a run found at {at}: {middle(h.error, 140)}
      </Text>
    )
  return (
    <Text color={h.broken.length > 0 ? 'kept' : 'narrowed'} whiteSpace="nowrap" role="status" title={h.broken.join(', ')}>
      changed since {at}: {count(h.changes)} {h.changes === 1 ? 'change' : 'changes'}
      {h.broken.length > 0 && `, ${h.broken.length} ${h.broken.length === 1 ? 'view breaks' : 'views break'}`}
    </Text>
  )
}

const box = { bg: 'sheet', border: '1px solid', borderColor: 'line', borderRadius: '4px', px: '2', py: '1', my: '1', maxH: '300px', overflowY: 'auto' } as const

/** What was found of the source over time: differences, and when it could not be read. */
export function History({ source }: { source: string }) {
  const { data, error } = useQuery({ queryKey: ['history', source], queryFn: () => api.history(source), staleTime: 0, retry: false })
  return (
    <Box {...box} data-testid="history">
      {error && <ErrorLine of={error} />}
      {data?.length === 0 && <Text color="faint">Nothing has changed since it was connected, as far as was looked.</Text>}
      {(data ?? []).map((e, i) => (
        <Box key={i} borderTop={i > 0 ? '1px solid' : undefined} borderColor="line" py="0.5">
          <Flex gap="2">
            <Text fontVariantNumeric="tabular-nums">{new Date(e.at).toLocaleString()}</Text>
            <Text color={e.error ? 'kept' : e.kind === 'accepted' ? 'folded' : 'narrowed'}>{e.error ? 'could not be read' : e.kind === 'accepted' ? 'accepted' : 'found by a check'}</Text>
            {e.error && <Text color="faint">{e.error}</Text>}
          </Flex>
          {!e.error && <Differences report={{ ...e.differences, changes: e.differences.changes ?? [], quirks: e.differences.quirks ?? [], broken: e.differences.broken ?? [] }} />}
        </Box>
      ))}
    </Box>
  )
}

/** The statements that the source was sent lately. */
export function Sent({ source }: { source: string }) {
  const { data, error } = useQuery({ queryKey: ['sent', source], queryFn: () => api.sent(source), staleTime: 0, retry: false })
  return (
    <Box {...box} data-testid="sent">
      {error && <ErrorLine of={error} />}
      {data?.length === 0 && <Text color="faint">No run that is kept has asked it for anything.</Text>}
      {(data ?? []).map((s, i) => (
        <Box key={i} borderTop={i > 0 ? '1px solid' : undefined} borderColor="line" py="0.5">
          <Flex gap="2" color="faint">
            <Text fontVariantNumeric="tabular-nums" color="ink">
              {new Date(s.at).toLocaleString()}
            </Text>
            <Text>
              {rows(s.rows)} in {millis(s.milliseconds)}
            </Text>
            <Text truncate title={s.sql}>
              for {middle(s.sql.replace(/\s+/g, ' '), 70)}
            </Text>
          </Flex>
          <Box as="pre" fontFamily="mono" fontSize="11px" whiteSpace="pre-wrap" overflowWrap="anywhere" m="0">
            {s.text}
          </Box>
        </Box>
      ))}
    </Box>
  )
}
