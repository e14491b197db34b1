import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { Title } from '../shell/Title'
import { api, ApiError, type Catalog } from '../api/client'
import { renewed } from '../lib/views'
import { count, middle } from '../lib/text'
import { hueOf } from '../theme'
import { ShapeColumns } from './ShapeColumns'
import { ShapeRows } from './ShapeRows'
import { tablesOf, withTable, type Place, type Shape } from './shapes'
import { ErrorLine, small } from '../shell/parts'


/** How nested records become tables: a record on one side, the tables that the shape makes of it on the other, live. */
export function ShapePage({ catalog }: { catalog: Catalog }) {
  const { source = '', set = '' } = useParams()
  const sets = useQuery({ queryKey: ['shapes', source], queryFn: () => api.shapedSets(source), retry: false })
  const own = sets.data?.find((s) => s.name === set)
  const propose = useMutation({ mutationFn: (rows: string) => api.proposeShape(source, set, rows) })
  const [shape, setShape] = useState<Shape | null>(null)
  const start = own?.shape
  const { mutate } = propose
  useEffect(() => {
    if (start) setShape(start)
    else if (own) mutate('', { onSuccess: setShape })
  }, [own, start, mutate])
  const error = sets.error ?? propose.error
  return (
    <Flex direction="column" h="100%">
      {error && (
        <ErrorLine of={error} p="3" />
      )}
      {sets.data && !own && (
        <Text p="3" color="kept" role="alert">
          {source} has no records called {set}.
        </Text>
      )}
      {!error && !shape && own && (
        <Text p="3" color="faint">
          Reading a sample of the records…
        </Text>
      )}
      {shape && <Workbench key={source + set} catalog={catalog} source={source} kept={start} shape={shape} setShape={setShape} proposeAgain={(rows) => mutate(rows, { onSuccess: setShape })} proposing={propose.isPending} />}
    </Flex>
  )
}

interface Props {
  catalog: Catalog
  source: string
  kept?: Shape
  shape: Shape
  setShape: (s: Shape) => void
  proposeAgain: (rows: string) => void
  proposing: boolean
}

function Workbench({ catalog, source, kept, shape, setShape, proposeAgain, proposing }: Props) {
  const [record, setRecord] = useState(1)
  const [at, setAt] = useState<Place>([])
  const asked = useSettled(JSON.stringify(shape), 200)
  const trial = useQuery({
    queryKey: ['trial', source, asked, record],
    queryFn: ({ signal }) => api.tryShape(source, JSON.parse(asked) as Shape, record, signal),
    placeholderData: keepPreviousData,
    retry: false,
    staleTime: 60_000,
  })
  const queries = useQueryClient()
  const navigate = useNavigate()
  const save = useMutation({
    mutationFn: (force: boolean) => api.saveShape(source, shape, force),
    onSuccess: async () => {
      await renewed(queries)
      await queries.invalidateQueries({ queryKey: ['shapes', source] })
      void navigate(`/sources/${source}/${shape.table.name}`)
    },
  })
  const all = tablesOf(shape.table)
  const chosen = all.find((t) => t.at.join() === at.join()) ?? all[0]!
  const made = trial.data?.tables[all.indexOf(chosen)]
  const problem = trial.error instanceof ApiError ? trial.error.problem : null
  const saving = save.error instanceof ApiError ? save.error.problem : null
  const last = trial.data ? trial.data.records : 0
  const unchanged = JSON.stringify(kept) === JSON.stringify(shape)
  const hue = hueOf(
    source,
    catalog.sources.map((s) => s.name),
  )
  return (
    <>
      <Flex h="44px" px="3" align="center" gap="2" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Box w="9px" h="9px" borderRadius="2px" style={{ background: hue }} />
        <Title>
          Shape of {middle(shape.set, 28)}
        </Title>
        <Link to={`/sources/${source}`}>
          <Text color="tide">in {source}</Text>
        </Link>
        <Text color="faint" fontSize="12px" ml="2" truncate>
          {trial.data && `${count(trial.data.records)} records looked at`}
          {shape.language === 'xpath' ? ' · paths are XPath 1.0' : ' · paths are JSONPath (RFC 9535)'}
        </Text>
        <Flex ml="auto" gap="1.5" align="center" flexShrink={0}>
          <Button {...small} loading={proposing} title="Make it anew from a sample of the records" onClick={() => proposeAgain(shape.table.rows)}>
            Propose anew
          </Button>
          <Button {...small} disabled={!kept || unchanged} onClick={() => kept && setShape(kept)}>
            Undo all
          </Button>
          <Button size="2xs" bg="tide" color="paper" loading={save.isPending} disabled={unchanged || trial.isError} onClick={() => save.mutate(false)}>
            Save the shape
          </Button>
        </Flex>
      </Flex>
      {save.isError && (
        <Flex px="3" py="1" gap="3" align="baseline" fontSize="12px" borderBottom="1px solid" borderColor="line">
          <ErrorLine of={save.error} />
          {saving?.code === '2BP01' && (
            <Button {...small} color="kept" onClick={() => save.mutate(true)}>
              Save anyway
            </Button>
          )}
        </Flex>
      )}
      <Flex flex="1" minH="0">
        <Flex direction="column" w="300px" flexShrink={0} borderRight="1px solid" borderColor="line">
          <Flex h="32px" px="3" align="center" gap="1.5" borderBottom="1px solid" borderColor="line" fontSize="12px">
            <Text color="faint">record</Text>
            <Input size="2xs" w="64px" bg="sheet" aria-label="Record" inputMode="numeric" value={record} onChange={(e) => setRecord(Math.max(1, Number(e.target.value.replace(/\D/g, '')) || 1))} />
            <Button {...small} aria-label="The record before" disabled={record <= 1} onClick={() => setRecord(record - 1)}>
              ‹
            </Button>
            <Button {...small} aria-label="The next record" disabled={record >= last} onClick={() => setRecord(record + 1)}>
              ›
            </Button>
            <Text color="faint" truncate title={trial.data?.file}>
              {trial.data?.file}
            </Text>
          </Flex>
          <Box as="pre" data-testid="record" flex="1" minH="0" overflow="auto" m="0" p="3" fontFamily="mono" fontSize="11px" lineHeight="1.5" whiteSpace="pre-wrap" overflowWrap="anywhere" bg="sheet">
            {trial.data?.record || (trial.isError ? '' : trial.isPending ? 'Reading…' : 'There is no such record.')}
          </Box>
        </Flex>
        <Flex direction="column" flex="1" minW="0">
          <Flex h="32px" px="2" align="center" gap="1" borderBottom="1px solid" borderColor="line" overflowX="auto" role="tablist" aria-label="Tables of the shape">
            {all.map((t, i) => (
              <Button key={t.at.join()} size="2xs" variant="ghost" role="tab" aria-selected={t === chosen} color="ink" bg={t === chosen ? 'sheet' : undefined} border="1px solid" borderColor={t === chosen ? 'line' : 'transparent'} _hover={{ bg: 'sea' }} onClick={() => setAt(t.at)}>
                {t.at.length > 0 && <Text color="faint">{'└'.padStart(t.at.length, ' ')}</Text>}
                {middle(t.table.name, 26)}
                <Text color="faint" fontVariantNumeric="tabular-nums">
                  {trial.data?.tables[i] ? count(trial.data.tables[i].count) : ''}
                </Text>
              </Button>
            ))}
          </Flex>
          {problem && (
            <ErrorLine of={problem} px="3" py="1" borderBottom="1px solid" borderColor="line" />
          )}
          <Box flex="1" minH="0" overflow="auto">
            <ShapeColumns language={shape.language} table={chosen.table} parent={chosen.at.length > 0} made={made} onChange={(t) => setShape(withTable(shape, chosen.at, t))} onDrop={() => { setShape(withTable(shape, chosen.at, null)); setAt([]) }} />
          </Box>
          <ShapeRows made={made} stale={trial.isPlaceholderData || trial.isError} record={record} />
        </Flex>
      </Flex>
    </>
  )
}

/** A value once it has been the same for some time. */
function useSettled<T>(value: T, milliseconds: number): T {
  const [settled, setSettled] = useState(value)
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), milliseconds)
    return () => clearTimeout(timer)
  }, [value, milliseconds])
  return settled
}
