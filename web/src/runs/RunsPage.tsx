import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, type ActiveRun, type Catalog } from '../api/client'
import { bytes, count, millis } from '../lib/text'
import { Place } from './RunChoices'
import { Title } from '../shell/Title'
import { Drawing } from '../waterline/Drawing'
import { PieceNote } from '../waterline/PieceNote'
import { ErrorLine, Head } from '../shell/parts'

/** What was executed and what crossed for it. */
export function RunsPage({ catalog }: { catalog: Catalog }) {
  const runs = useQuery({ queryKey: ['runs'], queryFn: api.pastRuns, staleTime: 0 })
  const [id, setId] = useState<string | null>(null)
  const [chosen, setChosen] = useState<string | null>(null)
  const going = useQuery({ queryKey: ['runs', 'active'], queryFn: api.activeRuns, refetchInterval: 1000 })
  const list = runs.data ?? []
  const run = list.find((r) => r.id === id) ?? list[0]
  return (
    <Flex direction="column" h="100%">
      <Flex h="44px" px="3" align="center" borderBottom="1px solid" borderColor="line">
        <Title>
          Runs
        </Title>
      </Flex>
      {(going.data ?? []).length > 0 && <Going runs={going.data ?? []} />}
      {runs.isError && <ErrorLine of={runs.error} p="6" />}
      {runs.isSuccess && list.length === 0 && going.data?.length === 0 && <Text p="6" color="faint">Nothing was run yet. Open a view and press Run.</Text>}
      {run && (
        <Flex flex="1" minH="0">
          <Box w="50%" overflow="auto" borderRight="1px solid" borderColor="line" tabIndex={0} role="region" aria-label="Past runs">
            <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" tableLayout="fixed">
              <colgroup>
                {['72px', '68px', undefined, '76px', '68px', '66px'].map((width, i) => (
                  <col key={i} style={{ width }} />
                ))}
              </colgroup>
              <Head names={['began', 'state', 'query', 'crossed', 'bytes', 'took']} numbers={[3, 4, 5]} sticky="rail" />
              <tbody>
                {list.map((r) => (
                  <chakra.tr key={r.id} cursor="pointer" bg={r === run ? 'sheet' : undefined} borderBottom="1px solid" borderColor="line" _hover={{ bg: 'sheet' }} onClick={() => (setId(r.id), setChosen(null))}>
                    <chakra.td px="2" whiteSpace="nowrap" fontVariantNumeric="tabular-nums">
                      {new Date(r.beganAt).toLocaleTimeString([], { hour12: false })}
                    </chakra.td>
                    <chakra.td px="2" color={r.state === 'done' ? 'folded' : 'kept'} title={r.error}>
                      {r.state}
                    </chakra.td>
                    <chakra.td px="2" fontFamily="mono" fontSize="11px" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" title={r.sql}>
                      {r.sql.replace(/\s+/g, ' ')}
                    </chakra.td>
                    {[count(r.report.rowsCrossed ?? 0), bytes(r.report.bytesCrossed ?? 0), millis(r.report.totalMilliseconds ?? 0)].map((v, i) => (
                      <chakra.td key={i} px="2" textAlign="right" whiteSpace="nowrap" fontVariantNumeric="tabular-nums">
                        {v}
                      </chakra.td>
                    ))}
                  </chakra.tr>
                ))}
              </tbody>
            </chakra.table>
          </Box>
          <Flex direction="column" flex="1" minW="0">
            <Flex px="3" py="1.5" gap="3" fontSize="12px" bg="rail" borderBottom="1px solid" borderColor="line">
              <Text truncate flex="1" fontFamily="mono" title={run.sql}>
                {run.sql.replace(/\s+/g, ' ')}
              </Text>
              <Link to={`/query?sql=${encodeURIComponent(run.sql)}`}>
                <Text color="tide" textDecoration="underline" whiteSpace="nowrap">
                  open as query
                </Text>
              </Link>
            </Flex>
            {run.error && <Text px="3" py="1" fontSize="12px" color="kept">{run.error}</Text>}
            <Drawing report={run.report} query={{ sql: run.sql }} sources={catalog.sources.map((s) => s.name)} chosen={chosen} onChoose={setChosen} />
            <PieceNote report={run.report} piece={run.report.pieces.find((p) => p.id === chosen) ?? null} onChoose={setChosen} />
          </Flex>
        </Flex>
      )}
    </Flex>
  )
}

/** The runs that wait for their turn or go on. */
function Going({ runs }: { runs: ActiveRun[] }) {
  return (
    <Box maxH="30%" overflow="auto" borderBottom="1px solid" borderColor="line" flexShrink={0} role="region" aria-label="Runs that go on" tabIndex={0}>
      <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" tableLayout="fixed">
        <colgroup>
          {['72px', '68px', undefined, '130px', '76px', '60px'].map((width, i) => (
            <col key={i} style={{ width }} />
          ))}
        </colgroup>
        <Head names={['asked', 'state', 'query', 'waits', 'rows', '']} numbers={[4]} sticky="rail" />
        <tbody>
          {runs.map((r) => (
            <chakra.tr key={r.id} borderBottom="1px solid" borderColor="line">
              <chakra.td px="2" whiteSpace="nowrap" fontVariantNumeric="tabular-nums">
                {new Date(r.beganAt).toLocaleTimeString([], { hour12: false })}
              </chakra.td>
              <chakra.td px="2">{r.state}</chakra.td>
              <chakra.td px="2" fontFamily="mono" fontSize="11px" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis" title={r.sql}>
                {r.sql.replace(/\s+/g, ' ')}
              </chakra.td>
              <chakra.td px="2" overflow="hidden">
                {r.place && <Place of={r.place} short />}
              </chakra.td>
              <chakra.td px="2" textAlign="right" fontVariantNumeric="tabular-nums">
                {count(r.rows)}
              </chakra.td>
              <chakra.td px="2">
                <Button size="2xs" h="18px" variant="outline" color="ink" borderColor="line" _hover={{ bg: 'sea' }} onClick={() => void api.stopRun(r.id).catch(() => undefined)}>
                  Stop
                </Button>
              </chakra.td>
            </chakra.tr>
          ))}
        </tbody>
      </chakra.table>
    </Box>
  )
}
