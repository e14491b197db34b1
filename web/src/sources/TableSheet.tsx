import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link } from 'react-router'
import { api, ApiError, type Catalog, type Look, type TableColumn, type SourceInfo, type Table } from '../api/client'
import { renewed } from '../lib/views'
import { count, isNumeric, middle } from '../lib/text'
import { Keys } from './Keys'
import { columnTypes } from './shapes'
import { ErrorLine, Head, small } from '../shell/parts'

const number = { px: '2', textAlign: 'right', fontVariantNumeric: 'tabular-nums', whiteSpace: 'nowrap' } as const

/** A table's columns with types and keys and, once it was looked at, what its source measured and its first rows. */
export function TableSheet({ source, catalog, table, shaped, retypable }: { source: SourceInfo; catalog: Catalog; table: Table; shaped: boolean; retypable: boolean }) {
  const [looking, setLooking] = useState(false)
  const [open, setOpen] = useState<string | null>(null)
  const name = table.schema ? `${table.schema}.${table.name}` : table.name
  const look = useQuery({ queryKey: ['look', table.source, name], queryFn: ({ signal }) => api.lookAt(table.source, name, signal), enabled: looking, staleTime: 60_000, retry: false })
  const queries = useQueryClient()
  const retype = useMutation({
    mutationFn: (r: { column: string; type: string; force?: boolean }) => api.retype(table.source, { table: name, ...r }),
    onSuccess: () => renewed(queries),
  })
  const refused = retype.error instanceof ApiError ? retype.error.problem : null
  const keyOf = (column: string) => {
    const out: string[] = []
    for (const k of table.keys ?? []) if (k.columns.includes(column)) out.push(k.primary ? 'primary' : k.declared ? 'unique, declared' : 'unique')
    for (const f of table.foreignKeys ?? []) if (f.columns.includes(column)) out.push(`→ ${f.table.split('.').pop()}${f.declared ? ', declared' : ''}`)
    return out.join(', ')
  }
  const measured = look.data && !look.data.problem ? look.data : null
  // What was measured takes the place of the source's own types, which the type then tells on hover.
  const columns = measured ? ['column', 'type', 'key', 'NULL', 'distinct', 'least', 'greatest'] : ['column', 'type', 'in the source', 'key', 'NULL', 'distinct']
  return (
    <Box p="3">
      <Flex align="baseline" gap="3" mb="1">
        <Text fontFamily="heading" fontSize="16px" fontWeight="600">
          {table.source}.{table.name}
          <Box as="span" color="faint" fontSize="13px" fontWeight="400">
            {' '}
            {count(measured ? measured.rows : table.rows)} rows, {table.columns?.length ?? 0} columns
          </Box>
        </Text>
        <Link to={`/lineage/${[table.source, table.schema, table.name].filter(Boolean).join('.')}?to=readers`} style={{ marginLeft: 'auto' }}>
          <Text color="tide" fontSize="12px" whiteSpace="nowrap" title="The views that read it, and what would break if it changed">
            Who reads it
          </Text>
        </Link>
        {shaped && (
          <Link to={`/sources/${table.source}/shape/${table.flat?.set ?? table.name}`}>
            <Text color="tide" fontSize="12px" whiteSpace="nowrap">
              {table.flat ? 'Its shape' : 'Give it a shape'}
            </Text>
          </Link>
        )}
        <Button {...small} loading={look.isFetching} title="Have its source measure the columns, and show the first rows" onClick={() => (looking ? void look.refetch() : setLooking(true))}>
          {look.data ? 'Look again' : 'Look at it'}
        </Button>
      </Flex>
      {look.isError && (
        <ErrorLine of={look.error} />
      )}
      {retype.isError && (
        <Flex gap="3" align="baseline" fontSize="12px">
          <ErrorLine of={retype.error} />
          {refused?.code === '2BP01' && (
            <Button {...small} color="kept" onClick={() => retype.variables && retype.mutate({ ...retype.variables, force: true })}>
              Change anyway
            </Button>
          )}
        </Flex>
      )}
      {look.data?.problem && (
        <Text color="narrowed" fontSize="12px">
          Nothing was measured: {look.data.problem}
        </Text>
      )}
      <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" bg="sheet" data-testid="columns">
        <Head names={columns} numbers={columns.flatMap((h, i) => (h === 'NULL' || h === 'distinct' ? [i] : []))} />
        <tbody>
          {(table.columns ?? []).map((c) => {
            const own = measured?.columns.find((x) => x.name === c.name)
            return [
              <chakra.tr key={c.name} borderBottom="1px solid" borderColor="line" bg={open === c.name ? 'sea' : undefined}>
                <chakra.td px="2" py="0.5" fontFamily="mono" title={c.note}>
                  {measured ? (
                    <chakra.button type="button" fontFamily="mono" textDecoration="underline" textDecorationColor="var(--chakra-colors-line)" textUnderlineOffset="3px" aria-expanded={open === c.name} title="Its most frequent values" onClick={() => setOpen(open === c.name ? null : c.name)}>
                      {middle(c.name, 24)}
                    </chakra.button>
                  ) : (
                    middle(c.name, 24)
                  )}
                  {c.note && (
                    <Text fontFamily="body" fontSize="11px" color="narrowed" maxW="38ch">
                      {c.note}
                    </Text>
                  )}
                </chakra.td>
                <chakra.td px="2" py={retypable ? '0.5' : undefined} title={[c.native, c.collation].filter(Boolean).join(', ')}>
                  {!retypable && c.chosen && !c.choices && (
                    <chakra.button type="button" float="right" color="tide" title="Leave the column out again" onClick={() => retype.mutate({ column: c.name, type: '' })}>
                      leave out
                    </chakra.button>
                  )}
                  {c.choices || (retypable && c.readAs !== 'folder') ? <TypeChoice label={c.name} value={c.choices && !c.chosen ? '' : c.type} options={choices(c)} busy={retype.isPending} chosen={c.chosen ?? false} onChange={(type) => retype.mutate({ column: c.name, type })} /> : c.type}
                </chakra.td>
                {!measured && (
                  <chakra.td px="2" color="faint" title={c.collation}>
                    {c.native}
                    {c.collation && <Text fontSize="11px">{c.collation}</Text>}
                  </chakra.td>
                )}
                <chakra.td px="2" maxW="180px" whiteSpace="nowrap">
                  {keyOf(c.name)}
                </chakra.td>
                <chakra.td {...number}>{own?.nulls != null && measured ? share(own.nulls, measured.rows) : !c.nullable ? 'never' : `≈ ${((c.nullShare ?? 0) * 100).toFixed(1)}%`}</chakra.td>
                <chakra.td {...number} title={own?.left || undefined}>
                  {own?.distinct != null ? count(own.distinct) : c.distinct ? `≈ ${count(c.distinct)}` : '–'}
                </chakra.td>
                {measured && <Extreme value={own?.least} left={own?.left} />}
                {measured && <Extreme value={own?.greatest} left={own?.left} />}
              </chakra.tr>,
              open === c.name && (
                <tr key={c.name + ' values'}>
                  <chakra.td colSpan={columns.length} px="2" py="1.5" borderBottom="1px solid" borderColor="line">
                    <MostFrequent table={table} name={name} column={c.name} rows={measured?.rows ?? 0} />
                  </chakra.td>
                </tr>
              ),
            ]
          })}
          {(table.left ?? []).map((l) => (
            <chakra.tr key={l.name} borderBottom="1px solid" borderColor="line" color="faint" data-testid="left">
              <chakra.td px="2" py="0.5" fontFamily="mono" title={l.name}>
                {middle(l.name, 24)}
              </chakra.td>
              <chakra.td px="2">left out</chakra.td>
              <chakra.td px="2" colSpan={columns.length - 2}>
                <Flex gap="2" align="baseline">
                  <Text title={l.native}>
                    {middle(l.native, 24)}: {l.reason}
                  </Text>
                  {l.asText && (
                    <Button ml="auto" {...small} loading={retype.isPending && retype.variables?.column === l.name} title={`As text: ${l.asText}`} onClick={() => retype.mutate({ column: l.name, type: 'text' })}>
                      Expose as text
                    </Button>
                  )}
                </Flex>
              </chakra.td>
            </chakra.tr>
          ))}
        </tbody>
      </chakra.table>
      <Keys source={source} table={table} catalog={catalog} />
      {look.data && <FirstRows look={look.data} />}
    </Box>
  )
}

/** A type that can be chosen otherwise; the first option is that of the source itself. */
function TypeChoice({ label, value, options, busy, chosen, onChange }: { label: string; value: string; options: [value: string, text: string][]; busy: boolean; chosen: boolean; onChange: (t: string) => void }) {
  // What was picked shows until the source has said whether every cell fits.
  const [picked, setPicked] = useState<string | null>(null)
  useEffect(() => {
    if (!busy) setPicked(null)
  }, [busy])
  return (
    <chakra.select aria-label={`Type of ${label}`} h="22px" px="0.5" maxW="180px" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" fontSize="12px" color={chosen ? 'narrowed' : 'ink'} value={picked ?? value} disabled={busy && picked === null} onChange={(e) => { setPicked(e.target.value); onChange(e.target.value) }}>
      {options.map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </chakra.select>
  )
}

/** The types that a column may be read as: any where its own is only proposed, else those of its choices. */
function choices(c: TableColumn): [string, string][] {
  const others: [string, string][] = columnTypes.filter((t) => t !== c.type && t !== 'jsonb').map((t) => [t, t])
  if (!c.choices) return [[c.type, c.type], ...(c.chosen ? ([['', 'as proposed']] as [string, string][]) : []), ...others]
  return [['', c.chosen ? 'as it is' : c.type], ...c.choices.map((o): [string, string] => [o.type, `${o.type}: ${o.about}`])]
}

function share(nulls: number, rows: number): string {
  return nulls === 0 ? 'none' : `${((nulls / Math.max(rows, 1)) * 100).toFixed(1)}%`
}

function Extreme({ value, left }: { value?: string | null; left?: string }) {
  return (
    <chakra.td px="2" maxW="112px" overflow="hidden" whiteSpace="nowrap" title={value ?? left}>
      {value == null ? <chakra.span color="faint">–</chakra.span> : <Written text={value} max={13} />}
    </chakra.td>
  )
}

/** A value as it is, spaces at its ends made visible. */
function Written({ text, max }: { text: string; max: number }) {
  if (text === '') return <chakra.span color="faint">empty</chakra.span>
  return <chakra.span whiteSpace="pre">{middle(text.replace(/^ +| +$/g, (s) => '·'.repeat(s.length)), max)}</chakra.span>
}

function MostFrequent({ table, name, column, rows }: { table: Table; name: string; column: string; rows: number }) {
  const { data, error } = useQuery({ queryKey: ['frequent', table.source, name, column], queryFn: ({ signal }) => api.mostFrequent(table.source, name, column, signal), staleTime: 60_000, retry: false })
  if (error) return <Text color="narrowed">{error.message}</Text>
  if (!data) return <Text color="faint">Counting…</Text>
  const most = Math.max(1, ...data.map((d) => d.rows))
  return (
    <Box data-testid="frequent" display="grid" gridTemplateColumns="repeat(auto-fill, minmax(210px, 1fr))" columnGap="4">
      {data.map((d, i) => (
        <Flex key={i} align="center" gap="2" h="20px" title={`${d.value ?? 'NULL'}: ${count(d.rows)} of ${count(rows)} rows`}>
          <Text flex="1" minW="0" truncate>
            {d.value === null ? <chakra.span color="faint">NULL</chakra.span> : <Written text={d.value} max={22} />}
          </Text>
          <Box w="46px" h="5px" bg="line" borderRadius="1px" flexShrink={0}>
            <Box h="5px" bg="tide" borderRadius="1px" style={{ width: `${(d.rows / most) * 100}%` }} />
          </Box>
          <Text w="52px" flexShrink={0} textAlign="right" fontVariantNumeric="tabular-nums">
            {count(d.rows)}
          </Text>
        </Flex>
      ))}
    </Box>
  )
}

function FirstRows({ look }: { look: Look }) {
  return (
    <Box mt="4">
      <Text fontFamily="heading" fontWeight="600" mb="1">
        First rows
      </Text>
      <Box overflowX="auto" border="1px solid" borderColor="line" bg="sheet">
        <chakra.table fontSize="12px" borderCollapse="collapse" data-testid="first-rows">
          <Head names={look.columns.map((c) => (
            <chakra.span key={c.name} fontWeight="600" color="ink">
              {c.name}
            </chakra.span>
          ))} numbers={look.columns.flatMap((c, i) => (isNumeric(c.type) ? [i] : []))} />
          <tbody>
            {look.first.map((row, i) => (
              <tr key={i}>
                {row.map((cell, j) => (
                  <chakra.td key={j} px="2" h="20px" whiteSpace="nowrap" textAlign={isNumeric(look.columns[j]!.type) ? 'right' : 'left'} fontVariantNumeric="tabular-nums" title={cell ?? 'NULL'}>
                    {cell === null ? <chakra.span color="faint">NULL</chakra.span> : <Written text={cell} max={36} />}
                  </chakra.td>
                ))}
              </tr>
            ))}
          </tbody>
        </chakra.table>
      </Box>
    </Box>
  )
}
