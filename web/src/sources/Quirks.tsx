import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, type QuirkImpact, type SourceInfo } from '../api/client'
import { ErrorLine } from '../shell/parts'

/** What was measured of a source, and what depends on each of it. */
export function Quirks({ source }: { source: SourceInfo }) {
  const quirks = Object.entries(source.found?.quirks ?? {})
  const [open, setOpen] = useState('')
  return (
    <Box w="236px" flexShrink={0} borderLeft="1px solid" borderColor="line" overflowY="auto" p="3">
      <Text fontFamily="heading" fontWeight="600" mb="1">
        Measured quirks
      </Text>
      {quirks.length === 0 && <Text color="faint">{source.found ? 'None: files are only read, and what is read means the same everywhere.' : 'Nothing was measured yet.'}</Text>}
      {quirks.map(([name, q]) => (
        <Box key={name} mb="2" fontSize="12px" data-quirk={name}>
          <Flex as="button" w="100%" textAlign="left" justify="space-between" gap="2" aria-expanded={open === name} title="Which verdicts depend on it" _hover={{ color: 'tide' }} onClick={() => setOpen(open === name ? '' : name)}>
            <Text>{name}</Text>
            <Text fontFamily="mono" fontWeight="600" textAlign="right" maxW="60%" flexShrink={q.value.length < 12 ? 0 : 1} overflowWrap="anywhere">
              {q.value}
            </Text>
          </Flex>
          <Text color="faint" fontSize="11px" title={q.measuredAt ? `Measured ${new Date(q.measuredAt).toLocaleString()} on version ${q.version}` : undefined}>
            {q.meaning}
          </Text>
          {open === name && <Depending source={source.name} quirk={name} />}
        </Box>
      ))}
    </Box>
  )
}

function Depending({ source, quirk }: { source: string; quirk: string }) {
  const { data, error } = useQuery({ queryKey: ['quirk-impact', source, quirk], queryFn: ({ signal }) => api.quirkImpact(source, quirk, signal), staleTime: 0, retry: false })
  return (
    <Box mt="0.5" pl="2" borderLeft="2px solid" borderColor="line" fontSize="11px" data-testid="quirk-impact">
      {error && <ErrorLine of={error} />}
      {!data && !error && <Text color="faint">Comparing plans…</Text>}
      {data && (
        <>
          <Text color="faint">{summary(data)}</Text>
          {data.views.map((v) => (
            <Box key={v.view}>
              <Link to={`/view/${v.view.replace('.', '/')}`}>
                <Text color="tide">{v.view}</Text>
              </Link>
              {v.pieces.map((p, i) => (
                <Text key={i} overflowWrap="anywhere" lineHeight="1.35">
                  <chakra.code fontFamily="mono">{p.piece.replace(/\s+/g, ' ')}</chakra.code> is <chakra.span color={p.was}>{p.was}</chakra.span>, <chakra.span color={p.is}>{p.is}</chakra.span> if it {p.if}
                </Text>
              ))}
            </Box>
          ))}
        </>
      )}
    </Box>
  )
}

function summary({ views, readers, looked }: QuirkImpact): string {
  const of = looked < readers ? `${looked} of ${readers} views that read the source were compared` : `${readers} views read the source`
  if (readers === 0) return 'No view reads the source.'
  if (views.length === 0) return `No verdict depends on it; ${of}.`
  return `Verdicts of ${views.length === 1 ? '1 view depend' : `${views.length} views depend`} on it; ${of}.`
}
