import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useState } from 'react'
import { api, type Built, type FormBlock, type FormColumn, type InputFacts, type Piece } from '../api/client'
import { count } from '../lib/text'
import { Field, literal, Locked, Mark, nameFrom, Section, select, small, tiny, worst } from './parts'
import type { Builder } from './useBuilder'
import { ErrorLine } from '../shell/parts'

interface Props {
  builder: Builder
  built: Built
  block: FormBlock
  at: number
  inputs: InputFacts[]
  outputs: FormColumn[][]
  pieces: Piece[]
  chosen: string | null
  onChoose: (id: string | null) => void
  grouping: number[] | null // outputs to group by, where that is asked
  onGrouped: () => void
}

/** Which rows there are: filters, groups, order and limit. */
export function RowParts(p: Props) {
  const { builder, built, block, at, inputs, pieces, chosen, onChoose } = p
  const last = at === built.form.blocks.length - 1
  return (
    <>
      <Section title="Filters" aside={block.filters.length > 0 ? 'all of them hold' : undefined}>
        {block.filters.map((f, i) => (
          <Flex key={i} align="center" gap="1" data-testid="filter">
            <Mark piece={worst(pieces, f)} chosen={chosen} onChoose={onChoose} />
            <Field label={`Filter ${i + 1}`} flex="1" value={f.text} onCommit={(text) => (text ? builder.edit({ do: 'set filter', block: at, at: i, text }) : builder.edit({ do: 'remove filter', block: at, at: i }))} />
            <Button {...tiny} aria-label={`Remove filter ${i + 1}`} onClick={() => builder.edit({ do: 'remove filter', block: at, at: i })}>
              <X size={11} />
            </Button>
          </Flex>
        ))}
        <NewFilter builder={builder} block={block} at={at} inputs={inputs} />
      </Section>
      <Groups {...p} />
      {last && <Ending {...p} />}
    </>
  )
}

/** A filter made of a column's real values, or written. */
function NewFilter({ builder, block, at, inputs }: { builder: Builder; block: FormBlock; at: number; inputs: InputFacts[] }) {
  const [column, setColumn] = useState('')
  const [values, setValues] = useState<(string | null)[]>([])
  const columns = inputs.flatMap((f, i) => f.columns.map((c) => ({ c, input: block.inputs[i]! })))
  const found = columns.find((x) => x.c.sql === column)
  const { layer = '', view = '' } = builder.query
  const of = found?.input.kind === 'relation' ? `SELECT ${found.c.sql} FROM ${found.input.text}` : ''
  const profile = useQuery({ queryKey: ['values', of, layer, view], queryFn: ({ signal }) => api.profile({ sql: of, layer, view }, signal), enabled: of !== '', staleTime: 300_000, retry: false })
  const type = found?.c.type ?? ''
  const given = values.filter((v) => v !== null)
  const nulls = values.includes(null)
  const test = given.length === 0 ? '' : given.length === 1 ? `${column} = ${literal(given[0]!, type)}` : `${column} IN (${given.map((v) => literal(v, type)).join(', ')})`
  const condition = [test, nulls ? `${column} IS NULL` : ''].filter(Boolean).join(' OR ')
  const done = (ok: boolean) => {
    if (ok) {
      setColumn('')
      setValues([])
    }
  }
  return (
    <Box>
      <Flex align="center" gap="1.5" pl="16px">
        <chakra.select {...select} w="130px" aria-label="Column to filter by" value={column} onChange={(e) => {
          setColumn(e.target.value)
          setValues([])
        }}>
          <option value="">by a column…</option>
          {columns.map(({ c }) => (
            <option key={c.sql} value={c.sql}>
              {c.sql}
            </option>
          ))}
        </chakra.select>
        <Field key={condition} label="New filter" flex="1" bg="sheet" borderColor="line" placeholder={found ? 'choose values below, or write' : 'or a condition: l.due_on < current_date'} value={condition} onCommit={(text) => text && void builder.edit({ do: 'add filter', block: at, text }).then(done)} />
        {condition && (
          <Button {...small} onClick={() => builder.edit({ do: 'add filter', block: at, text: condition }).then(done)}>
            Add
          </Button>
        )}
      </Flex>
      {found && (
        <Box ml="16px" mt="1" maxH="96px" overflowY="auto" data-testid="filter-values">
          {profile.isFetching && <Text color="faint">Counting its values…</Text>}
          {profile.isError && <ErrorLine of={profile.error} />}
          <Flex wrap="wrap" gap="1">
            {profile.data?.values.map((v) => (
              <Button key={String(v.value)} {...small} h="18px" fontFamily="mono" whiteSpace="pre" aria-pressed={values.includes(v.value)} bg={values.includes(v.value) ? 'deep' : 'sheet'} title={`${count(v.rows)} rows`} onClick={() => setValues((s) => (s.includes(v.value) ? s.filter((x) => x !== v.value) : [...s, v.value]))}>
                {v.value === null ? 'NULL' : v.value === '' ? '(empty)' : v.value}
                <Box as="span" color="faint" fontSize="10px" fontFamily="body">
                  {count(v.rows)}
                </Box>
              </Button>
            ))}
          </Flex>
        </Box>
      )}
    </Box>
  )
}

const measures = ['count', 'sum', 'avg', 'min', 'max'] as const

/** GROUP BY with its measures, and values turned into columns. */
function Groups({ builder, built, block, at, inputs, outputs, pieces, chosen, onChoose, grouping, onGrouped }: Props) {
  const [pivoting, setPivoting] = useState(false)
  const grouped = block.groups.length > 0
  const locked = block.groups[0]?.locked
  if (built.form.blocks.length > 1 && !grouped) return null
  return (
    <Section
      title="Groups"
      aside={grouped ? 'one row for each of' : undefined}
      tools={
        !locked && (
          <Button {...small} aria-expanded={pivoting} title="A column for each value of another column" onClick={() => setPivoting(!pivoting)}>
            Values into columns…
          </Button>
        )
      }
    >
      {locked && <Locked part={block.groups[0]!} />}
      {!locked &&
        block.groups.map((g, i) => (
          <Flex key={i} align="center" gap="1" data-testid="group">
            <Mark piece={worst(pieces, g)} chosen={chosen} onChoose={onChoose} />
            <Text fontFamily="mono" fontSize="12px" flex="1" truncate title={g.text}>
              {g.text}
            </Text>
            <Button {...tiny} aria-label={`Remove group ${i + 1}`} onClick={() => builder.edit({ do: 'remove group', block: at, at: i })}>
              <X size={11} />
            </Button>
          </Flex>
        ))}
      {grouped && !locked && <Field label="New group" w="100%" pl="16px" placeholder="and of…" value="" onCommit={(text) => text && void builder.edit({ do: 'add group', block: at, text })} />}
      {block.having.map((f, i) => (
        <Flex key={i} align="center" gap="1">
          <Mark piece={worst(pieces, f)} chosen={chosen} onChoose={onChoose} />
          <Text color="faint" fontSize="11px">
            having
          </Text>
          <Field label={`Condition on groups ${i + 1}`} flex="1" value={f.text} onCommit={(text) => (text ? builder.edit({ do: 'set filter', kind: 'having', block: at, at: i, text }) : builder.edit({ do: 'remove filter', kind: 'having', block: at, at: i }))} />
        </Flex>
      ))}
      {grouped && !locked && <Field label="New condition on groups" w="100%" pl="16px" placeholder="keep only groups with… count(*) > 1" value="" onCommit={(text) => text && void builder.edit({ do: 'add filter', kind: 'having', block: at, text })} />}
      {!grouped && !grouping && !pivoting && (
        <Text color="faint" fontSize="11px">
          Every row stands for itself. Choose columns above to group by them.
        </Text>
      )}
      {grouping && !grouped && <Measures builder={builder} block={block} at={at} inputs={inputs} outputs={outputs} grouping={grouping} onDone={onGrouped} />}
      {pivoting && <Pivot builder={builder} block={block} at={at} inputs={inputs} outputs={outputs} onDone={() => setPivoting(false)} />}
    </Section>
  )
}

interface GroupProps {
  builder: Builder
  block: FormBlock
  at: number
  inputs: InputFacts[]
  outputs: FormColumn[][]
  onDone: () => void
}

const nameOf = (block: FormBlock, outputs: FormColumn[][], i: number) => outputs[i]?.[0]?.name ?? block.outputs[i]?.text ?? ''

function Measures({ builder, block, at, inputs, outputs, grouping, onDone }: GroupProps & { grouping: number[] }) {
  const [list, setList] = useState<{ func: string; of: string }[]>([{ func: 'count', of: '*' }])
  const columns = inputs.flatMap((f) => f.columns)
  const set = (i: number, c: Partial<{ func: string; of: string }>) => setList(list.map((m, n) => (n === i ? { ...m, ...c } : m)))
  const take = () =>
    builder
      .edit({ do: 'group', block: at, items: grouping, texts: list.map((m) => `${m.func}(${m.of})`), names: list.map((m) => (m.of === '*' ? 'rows' : nameFrom(`${m.of.split('.').pop()} ${m.func}`))) })
      .then((ok) => ok && onDone())
  return (
    <Box p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" fontSize="12px" data-testid="measures">
      <Text>
        One row for each{' '}
        <Box as="span" fontFamily="mono">
          {grouping.map((i) => nameOf(block, outputs, i)).join(', ')}
        </Box>
        ; the other columns go, and come back measured:
      </Text>
      {list.map((m, i) => (
        <Flex key={i} gap="1.5" my="0.5" align="center">
          <chakra.select {...select} aria-label={`Measure ${i + 1}`} value={m.func} onChange={(e) => set(i, { func: e.target.value })}>
            {measures.map((f) => (
              <option key={f}>{f}</option>
            ))}
          </chakra.select>
          <chakra.select {...select} aria-label={`Of what ${i + 1}`} value={m.of} onChange={(e) => set(i, { of: e.target.value })}>
            {m.func === 'count' && <option value="*">rows</option>}
            {columns.map((c) => (
              <option key={c.sql} value={c.sql}>
                {c.sql}
              </option>
            ))}
          </chakra.select>
          <Button {...tiny} aria-label={`Remove measure ${i + 1}`} onClick={() => setList(list.filter((_, n) => n !== i))}>
            <X size={11} />
          </Button>
        </Flex>
      ))}
      <Flex gap="2" mt="1">
        <Button {...small} onClick={() => setList([...list, { func: 'sum', of: columns.find((c) => /^(numeric|integer|bigint|double|real|smallint)/.test(c.type))?.sql ?? columns[0]?.sql ?? '' }])}>
          Another measure
        </Button>
        <Button {...small} color="folded" onClick={take}>
          Group
        </Button>
        <Button {...tiny} onClick={onDone}>
          Cancel
        </Button>
      </Flex>
    </Box>
  )
}

function Pivot({ builder, block, at, inputs, outputs, onDone }: GroupProps) {
  const [column, setColumn] = useState('')
  const [func, setFunc] = useState('count')
  const [of, setOf] = useState('*')
  const [left, setLeft] = useState<(string | null)[]>([])
  const columns = inputs.flatMap((f, i) => f.columns.map((c) => ({ c, input: block.inputs[i]! })))
  const found = columns.find((x) => x.c.sql === column)
  const { layer = '', view = '' } = builder.query
  const sql = found?.input.kind === 'relation' ? `SELECT ${column} FROM ${found.input.text}` : ''
  const profile = useQuery({ queryKey: ['values', sql, layer, view], queryFn: ({ signal }) => api.profile({ sql, layer, view }, signal), enabled: sql !== '', staleTime: 300_000, retry: false })
  const values = (profile.data?.values ?? []).slice(0, 24)
  const taken = values.filter((v) => !left.includes(v.value))
  const grouped = block.groups.length > 0
  const items = block.outputs.map((_, i) => i).filter((i) => !block.outputs[i]!.star && outputs[i]?.[0]?.sql !== column)
  const take = () =>
    builder
      .edit({ do: 'pivot', block: at, name: column, text: `${func}(${of})`, items: grouped ? [] : items, texts: taken.map((v) => literal(v.value, found!.c.type)), names: taken.map((v) => nameFrom(v.value ?? 'none')) })
      .then((ok) => ok && onDone())
  return (
    <Box p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" fontSize="12px" data-testid="pivot">
      <Flex gap="1.5" align="center" wrap="wrap">
        A column for each value of
        <chakra.select {...select} aria-label="Values of" value={column} onChange={(e) => setColumn(e.target.value)}>
          <option value="">choose…</option>
          {columns.map(({ c }) => (
            <option key={c.sql} value={c.sql}>
              {c.sql}
            </option>
          ))}
        </chakra.select>
        with
        <chakra.select {...select} aria-label="Measured by" value={func} onChange={(e) => setFunc(e.target.value)}>
          {measures.map((f) => (
            <option key={f}>{f}</option>
          ))}
        </chakra.select>
        of
        <chakra.select {...select} aria-label="Measured of" value={of} onChange={(e) => setOf(e.target.value)}>
          <option value="*">rows</option>
          {columns.map(({ c }) => (
            <option key={c.sql} value={c.sql}>
              {c.sql}
            </option>
          ))}
        </chakra.select>
      </Flex>
      {!grouped && (
        <Text color="faint" fontSize="11px">
          one row for each {items.map((i) => nameOf(block, outputs, i)).join(', ') || '— add columns that say what a row stands for'}
        </Text>
      )}
      {profile.isFetching && <Text color="faint">Counting its values…</Text>}
      <Flex wrap="wrap" gap="1" my="1" maxH="80px" overflowY="auto">
        {values.map((v) => (
          <Button key={String(v.value)} {...small} h="18px" fontFamily="mono" aria-pressed={!left.includes(v.value)} bg={left.includes(v.value) ? 'sheet' : 'deep'} title={`${count(v.rows)} rows`} onClick={() => setLeft((s) => (s.includes(v.value) ? s.filter((x) => x !== v.value) : [...s, v.value]))}>
            {v.value ?? 'NULL'}
          </Button>
        ))}
      </Flex>
      {profile.data && profile.data.distinct > values.length && (
        <Text color="narrowed" fontSize="11px">
          It has {count(profile.data.distinct)} values; these are the most frequent.
        </Text>
      )}
      <Flex gap="2" mt="1">
        <Button {...small} color="folded" disabled={taken.length === 0 || (func !== 'count' && of === '*') || (!grouped && items.length === 0)} onClick={take}>
          Make {taken.length || ''} columns
        </Button>
        <Button {...tiny} onClick={onDone}>
          Cancel
        </Button>
      </Flex>
    </Box>
  )
}

/** Duplicates, order and limit. */
function Ending({ builder, built, block, at, outputs, pieces, chosen, onChoose }: Props) {
  const { form } = built
  const names = outputs.flat().map((c) => c.name)
  const [keys, setKeys] = useState<string[] | null>(null)
  const [by, setBy] = useState('')
  const [last, setLast] = useState(true)
  return (
    <Section title="Order and limit">
      {form.order.map((o, i) => (
        <Flex key={i} align="center" gap="1" data-testid="order">
          <Mark piece={worst(pieces, o, 'sort')} chosen={chosen} onChoose={onChoose} />
          <Field label={`Sort key ${i + 1}`} flex="1" value={o.expr} onCommit={(text) => (text ? builder.edit({ do: 'set order', at: i, text, kind: o.desc ? 'descending' : '' }) : builder.edit({ do: 'remove order', at: i }))} />
          <Button {...tiny} color="tide" onClick={() => builder.edit({ do: 'set order', at: i, text: o.expr, kind: o.desc ? '' : 'descending' })}>
            {o.desc ? 'descending' : 'ascending'}
          </Button>
          <Button {...tiny} aria-label={`Remove sort key ${i + 1}`} onClick={() => builder.edit({ do: 'remove order', at: i })}>
            <X size={11} />
          </Button>
        </Flex>
      ))}
      <Flex align="center" gap="2" fontSize="12px" pl="16px" wrap="wrap">
        <chakra.select {...select} w="106px" aria-label="Sort by" value="" onChange={(e) => e.target.value && void builder.edit({ do: 'add order', text: e.target.value })}>
          <option value="">sort by…</option>
          {[...new Set(names)].map((n) => (
            <option key={n}>{n}</option>
          ))}
        </chakra.select>
        first
        {form.limit?.locked ? <Locked part={form.limit} /> : <Field label="Limit" w="56px" bg="sheet" borderColor="line" placeholder="all" value={form.limit?.text ?? ''} onCommit={(text) => builder.edit({ do: 'set limit', text })} />}
        rows
        <chakra.label display="flex" gap="1" alignItems="center" ml="auto">
          <input type="checkbox" checked={block.distinct && block.distinctOn.length === 0} disabled={block.distinctOn.length > 0} onChange={(e) => void builder.edit({ do: 'set distinct', block: at, kind: e.target.checked ? 'on' : 'off' })} />
          distinct rows
        </chakra.label>
      </Flex>
      {block.distinctOn.length > 0 && (
        <Flex fontSize="12px" pl="16px" gap="2" align="center">
          <Text>
            the first row of each{' '}
            <Box as="span" fontFamily="mono">
              {block.distinctOn.map((d) => d.text).join(', ')}
            </Box>
          </Text>
          <Button {...tiny} color="tide" onClick={() => builder.edit({ do: 'set distinct', block: at, kind: 'off' })}>
            all rows again
          </Button>
        </Flex>
      )}
      {form.blocks.length === 1 && !block.distinct && block.groups.length === 0 && (
        <Box pl="16px" fontSize="12px">
          {keys === null ? (
            <Button {...tiny} color="tide" px="0" title="Remove duplicates by a key and an order" onClick={() => setKeys([])}>
              One row for each key…
            </Button>
          ) : (
            <Flex gap="1.5" wrap="wrap" align="center" data-testid="first-of-each">
              one row for each
              {outputs.flat().map((c) => (
                <chakra.label key={c.sql + c.name} display="flex" gap="0.5" fontFamily="mono">
                  <input type="checkbox" disabled={!c.sql} checked={keys.includes(c.sql)} onChange={() => setKeys(keys.includes(c.sql) ? keys.filter((k) => k !== c.sql) : [...keys, c.sql])} />
                  {c.name}
                </chakra.label>
              ))}
              , the one with the
              <chakra.select {...select} value={last ? 'last' : 'first'} aria-label="Which one" onChange={(e) => setLast(e.target.value === 'last')}>
                <option value="last">greatest</option>
                <option value="first">least</option>
              </chakra.select>
              <chakra.select {...select} value={by} aria-label="By what" onChange={(e) => setBy(e.target.value)}>
                <option value="">anything</option>
                {outputs.flat().map((c) => c.sql && <option key={c.sql}>{c.sql}</option>)}
              </chakra.select>
              <Button {...small} disabled={keys.length === 0} onClick={() => builder.edit({ do: 'first of each', block: at, texts: keys, name: by, kind: last ? 'descending' : '' }).then((ok) => ok && setKeys(null))}>
                Keep these
              </Button>
              <Button {...tiny} onClick={() => setKeys(null)}>
                Cancel
              </Button>
            </Flex>
          )}
        </Box>
      )}
    </Section>
  )
}
