import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { api, type Catalog, type LineageNode } from '../api/client'
import { middle } from '../lib/text'
import { Title } from '../shell/Title'
import { ImpactStrip } from './ImpactStrip'
import { depths } from './layout'
import { LineageTable, Overview } from './LineageTable'
import { StepText } from './StepText'
import { type Picked, Strands, svgText } from './Strands'
import { ErrorLine, quiet } from '../shell/parts'


/** Where a column comes from and what it reaches, as strands or as a table. */
export function LineagePage({ catalog }: { catalog: Catalog }) {
  const { name = '' } = useParams()
  return <LineageOf key={name} catalog={catalog} name={name} />
}

function LineageOf({ catalog, name }: { catalog: Catalog; name: string }) {
  const [params, setParams] = useSearchParams()
  const navigate = useNavigate()
  const [picked, setPicked] = useState<Picked | null>(null)
  const { relation, column, isView } = split(catalog, name)
  const down = params.get('to') === 'readers' || (!isView && params.get('to') !== 'sources')
  const influences = params.get('influences') === '1'
  const table = params.get('form') === 'table'
  const whole = isView && column === '' && !down
  const graph = useQuery({ queryKey: ['lineage', name, down], queryFn: ({ signal }) => api.lineageGraph(name, down ? 'downstream' : 'upstream', signal), enabled: !whole, staleTime: 0, retry: false })
  const flat = useQuery({ queryKey: ['lineage', name, 'flat'], queryFn: ({ signal }) => api.lineage(name, signal), enabled: isView && !down, staleTime: 0, retry: false })
  const many = graph.data ? depths(graph.data, influences) > 4 : false
  const folded = params.get('steps') ? params.get('steps') === 'folded' : many
  const error = graph.error ?? flat.error
  const set = (key: string, value: string) => {
    const next = new URLSearchParams(params)
    next.set(key, value)
    setParams(next, { replace: true })
    setPicked(null)
  }
  const ask = (n: LineageNode) => navigate(`/lineage/${n.relation}.${encodeURIComponent(n.column)}?${params}`)
  const influencing = graph.data?.nodes.filter((n) => n.role === 'influences' && n.column !== '').length ?? 0
  return (
    <Flex direction="column" h="100%">
      <Flex align="center" gap="2" h="44px" px="3" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Title hint={name}>
          <Link to={isView ? `/lineage/${relation}` : `/lineage/${relation}?to=readers`}>
            <Box as="span" color="faint" fontWeight="400">
              {middle(relation, column ? 24 : 36)}
              {column && '.'}
            </Box>
          </Link>
          {middle(column, 22)}
        </Title>
        <Jump onGo={(n) => navigate(`/lineage/${n}`)} />
        <Flex ml="auto" gap="1.5" flexShrink={0}>
          {isView && (
            <Button {...quiet} aria-pressed={!down} bg={down ? 'sheet' : 'sea'} onClick={() => set('to', 'sources')}>
              Where from
            </Button>
          )}
          <Button {...quiet} aria-pressed={down} bg={down ? 'sea' : 'sheet'} onClick={() => set('to', 'readers')}>
            Where to
          </Button>
          {!whole && (
            <>
              <Button {...quiet} aria-pressed={influences} bg={influences ? 'sea' : 'sheet'} title="Columns that decide about values or rows without being in them" onClick={() => set('influences', influences ? '0' : '1')}>
                Influences{influencing > 0 && ` ${influencing}`}
              </Button>
              <Button {...quiet} aria-pressed={folded} bg={folded ? 'sea' : 'sheet'} title="Name views that pass every value on unchanged on their strand" onClick={() => set('steps', folded ? 'all' : 'folded')}>
                Fold steps
              </Button>
              {!down && (
                <Button {...quiet} aria-pressed={table} bg={table ? 'sea' : 'sheet'} onClick={() => set('form', table ? 'strands' : 'table')}>
                  Table
                </Button>
              )}
            </>
          )}
          <Exports name={name} drawn={!whole && !table} flat={isView && !down} />
        </Flex>
      </Flex>
      {down && <ImpactStrip name={name} column={column !== ''} />}
      {error && (
        <ErrorLine of={error} p="4" />
      )}
      {whole && flat.data && <Overview view={relation} columns={flat.data} />}
      {graph.data && table && !down && flat.data?.[0] && <LineageTable column={flat.data[0]} graph={graph.data} />}
      {graph.data && !whole && (!table || down) && (
        <>
          <Strands graph={graph.data} influences={influences || column === ''} folded={folded} sources={catalog.sources.map((s) => s.name)} picked={picked} onPick={setPicked} onAsk={ask} />
          <Legend cut={graph.data.cut} alone={graph.data.nodes.length === 1} down={down} />
        </>
      )}
      {picked && <StepText catalog={catalog} picked={picked} onPick={setPicked} />}
    </Flex>
  )
}

/** Takes a name apart: the relation is a view's or a table's, what is left is the column. */
function split(catalog: Catalog, name: string): { relation: string; column: string; isView: boolean } {
  const view = catalog.views.map((v) => `${v.layer}.${v.name}`).find((v) => name === v || name.startsWith(v + '.'))
  if (view) return { relation: view, column: name.slice(view.length + 1), isView: true }
  for (const s of catalog.sources)
    for (const t of s.found?.tables ?? [])
      for (const full of [[t.source, t.schema, t.name].filter(Boolean).join('.'), `${t.source}.${t.name}`])
        if (name === full || name.startsWith(full + '.')) return { relation: full, column: name.slice(full.length + 1), isView: false }
  return { relation: name, column: '', isView: true }
}

function Jump({ onGo }: { onGo: (name: string) => void }) {
  const [text, setText] = useState('')
  const typed = text.toLowerCase()
  // Only what was typed is offered: there may be very many columns.
  const { data: names = [] } = useQuery({ queryKey: ['columns', typed], queryFn: ({ signal }) => api.columnNames(typed, signal), enabled: typed.length > 1, placeholderData: keepPreviousData })
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault()
        if (text.trim()) onGo(names.find((n) => n.toLowerCase() === typed) ?? names[0] ?? text.trim())
      }}
    >
      <Input size="2xs" w="124px" bg="sheet" list="lineage-names" aria-label="Go to a column" placeholder="go to a column" _placeholder={{ color: 'faint' }} autoComplete="off" spellCheck={false} value={text} onChange={(e) => setText(e.target.value)} />
      <datalist id="lineage-names">
        {names.map((n) => (
          <option key={n} value={n} />
        ))}
      </datalist>
    </form>
  )
}

function Exports({ name, drawn, flat }: { name: string; drawn: boolean; flat: boolean }) {
  const link = { color: 'tide', fontSize: '12px', alignSelf: 'center', px: '1' } as const
  const save = () => {
    const svg = document.querySelector<SVGSVGElement>('[data-testid=strands]')
    if (!svg) return
    const a = document.createElement('a')
    a.href = URL.createObjectURL(new Blob([svgText(svg)], { type: 'image/svg+xml' }))
    a.download = `${name}.svg`
    a.click()
    URL.revokeObjectURL(a.href)
  }
  return (
    <>
      {flat && (
        <>
          <chakra.a {...link} href={`/api/lineage/${encodeURIComponent(name)}/openlineage`} title="A column-lineage facet of the OpenLineage standard">
            JSON
          </chakra.a>
          <chakra.a {...link} href={`/api/lineage/${encodeURIComponent(name)}/csv`}>
            CSV
          </chakra.a>
        </>
      )}
      {drawn && (
        <chakra.button type="button" {...link} onClick={save}>
          SVG
        </chakra.button>
      )}
    </>
  )
}

function Legend({ cut, alone, down }: { cut: boolean; alone: boolean; down: boolean }) {
  const line = (dash: string | undefined, width: number, color: string) => (
    <svg width="26" height="8" style={{ display: 'inline-block', verticalAlign: 'middle', marginRight: 4 }}>
      <path d="M0 4H26" style={{ stroke: `var(--chakra-colors-${color})`, strokeWidth: width, strokeDasharray: dash }} />
    </svg>
  )
  return (
    <Flex px="3" h="26px" align="center" gap="4" borderTop="1px solid" borderColor="line" fontSize="11px" color="faint" flexShrink={0} whiteSpace="nowrap">
      {alone && <Text color="ink">{down ? 'Nothing reads it.' : 'It comes from no column.'}</Text>}
      {cut && <Text color="narrowed">There is more than is shown.</Text>}
      <Text>{line(undefined, 1.6, 'tide')}unchanged</Text>
      <Text>{line('7 3', 1.6, 'tide')}transformed</Text>
      <Text>{line(undefined, 3.5, 'tide')}aggregated</Text>
      <Text>{line('1.5 4', 1, 'faint')}influences</Text>
      <Text ml="auto">choose a strand or a box for its SQL, a column for its lineage</Text>
    </Flex>
  )
}
