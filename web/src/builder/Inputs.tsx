import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useState } from 'react'
import { api, type FormBlock, type FormInput, type InputFacts, type Piece } from '../api/client'
import { middle } from '../lib/text'
import { hueOf } from '../theme'
import { Field, Locked, Mark, Section, select, tiny, worst } from './parts'
import { Shares } from './Shares'
import type { Builder } from './useBuilder'
import { ErrorLine } from '../shell/parts'

const joins = [
  ['inner', 'inner join: matching rows'],
  ['left', 'left join: all rows before, and what matches'],
  ['right', 'right join: all rows of this input'],
  ['full', 'full join: all rows of both'],
  ['cross', 'cross join: every row with every row'],
] as const

interface Props {
  builder: Builder
  block: FormBlock
  at: number
  facts: InputFacts[]
  pieces: Piece[]
  sources: string[]
  chosen: string | null
  onChoose: (id: string | null) => void
  children: React.ReactNode // what adds another
}

/** The inputs of a block in their order, and how each joins those before it. */
export function Inputs({ builder, block, at, facts, pieces, sources, chosen, onChoose, children }: Props) {
  return (
    <Section title="Inputs" aside={block.inputs.length > 1 ? `${block.inputs.length}, each joined to those before it` : undefined}>
      {block.inputs.map((in_, i) => (
        <InputLine key={i} builder={builder} block={at} at={i} input={in_} facts={facts[i]} pieces={pieces} sources={sources} chosen={chosen} only={block.inputs.length === 1} onChoose={onChoose} />
      ))}
      {children}
    </Section>
  )
}

function InputLine({ builder, block, at, input, facts, pieces, sources, chosen, only, onChoose }: { builder: Builder; block: number; at: number; input: FormInput; facts?: InputFacts; pieces: Piece[]; sources: string[]; chosen: string | null; only: boolean; onChoose: (id: string | null) => void }) {
  if (input.kind === 'locked') return <Locked part={input} />
  const joined = input.join !== ''
  const conditions = input.on.length > 0 ? input.on : input.using.length > 0 ? [{ start: 0, end: 0, text: `using (${input.using.join(', ')})` }] : []
  const piece = input.condition ? worst(pieces, input.condition, 'join') : null
  return (
    <Box mb="1" data-testid="input">
      <Flex align="center" gap="1.5">
        <Text w="14px" color="faint" fontSize="11px" textAlign="right" flexShrink={0}>
          {at + 1}
        </Text>
        {(facts?.sources ?? []).map((s) => (
          <Box key={s} w="9px" h="9px" borderRadius="2px" flexShrink={0} title={s} style={{ background: hueOf(s, sources) }} />
        ))}
        <Text fontFamily="mono" fontSize="12px" whiteSpace="nowrap" title={input.name || input.text}>
          {input.kind === 'verbatim' ? `${input.name}, verbatim` : middle(input.name || input.kind, 30)}
        </Text>
        <Text color="faint" fontSize="11px">
          as
        </Text>
        <Field label={`Alias of ${input.name}`} value={input.alias} w="64px" onCommit={(name) => builder.edit({ do: 'set alias', block, at, name })} />
        {joined && input.join !== 'comma' && (
          <chakra.select {...select} w="180px" minW="76px" flexShrink={1} ml="auto" aria-label={`How ${input.name} joins`} title={joins.find(([kind]) => kind === input.join)?.[1]} value={input.join} disabled={input.natural} onChange={(e) => void builder.edit({ do: 'set join', block, at, kind: e.target.value })}>
            {joins.map(([kind, words]) => (
              <option key={kind} value={kind}>
                {words}
              </option>
            ))}
          </chakra.select>
        )}
        {input.join === 'comma' && (
          <Button {...tiny} ml="auto" color="tide" title="Its conditions stand among the filters" onClick={() => builder.edit({ do: 'set join', block, at, kind: 'cross' })}>
            listed with a comma
          </Button>
        )}
        <Button {...tiny} flexShrink={0} ml={joined ? undefined : 'auto'} aria-label={`Remove ${input.name}`} title="Take it out, with its bare columns" disabled={only} onClick={() => builder.edit({ do: 'remove input', block, at })}>
          <X size={11} />
        </Button>
      </Flex>
      {input.locked && <Locked part={input} />}
      {joined && input.join !== 'cross' && input.join !== 'comma' && (
        <Box pl="20px">
          {conditions.map((c, i) => (
            <Flex key={i} align="center" gap="1">
              <Text color="faint" fontSize="11px" w="22px" flexShrink={0}>
                {i === 0 ? 'on' : 'and'}
              </Text>
              <Field
                label={`Condition ${i + 1} of ${input.name}`}
                value={c.text}
                flex="1"
                readOnly={input.on.length === 0}
                onCommit={(text) => builder.edit({ do: 'set condition', block, at, texts: input.on.map((o, n) => (n === i ? text : o.text)).filter(Boolean) })}
              />
            </Flex>
          ))}
          <Facts builder={builder} block={block} at={at} input={input} facts={facts} piece={piece} chosen={chosen} onChoose={onChoose} />
        </Box>
      )}
    </Box>
  )
}

interface FactsProps {
  builder: Builder
  block: number
  at: number
  input: FormInput
  facts?: InputFacts
  piece: Piece | null
  chosen: string | null
  onChoose: (id: string | null) => void
}

/** Whether a join folds, whether it multiplies rows, and whether types and collations agree. */
function Facts({ builder, block, at, input, facts, piece, chosen, onChoose }: FactsProps) {
  const [measuring, setMeasuring] = useState(false)
  const join = facts?.join
  if (!join) return null
  const differ = join.tests.flatMap((t) => {
    const out: string[] = []
    if (t.left.type !== t.right.type) out.push(`${t.left.type} meets ${t.right.type}`)
    if (t.left.collation && t.right.collation && t.left.collation !== t.right.collation) out.push(`${t.left.collation} meets ${t.right.collation}, compared exactly`)
    return out
  })
  const rows = join.rightUnique ? 'at most one row for each above' : join.leftUnique ? `may repeat rows: no key of ${input.alias} is compared` : 'may repeat rows of both: no key is compared'
  const test = join.tests.length === 1 ? join.tests[0] : undefined
  return (
    <>
      <Flex gap="1" pl="22px" fontSize="11px" color="faint" align="flex-start" data-testid="join-facts">
        <Mark piece={piece} chosen={chosen} onChoose={onChoose} />
        <Text lineHeight="18px">
          <Box as="span" color={piece ? piece.verdict : undefined} title={piece?.reason ? `${piece.reason.text} ${piece.reason.remedy ?? ''}` : undefined}>
            {whereOf(piece)}
          </Box>
          {' · '}
          <Box as="span" color={join.rightUnique ? undefined : 'narrowed'}>
            {rows}
          </Box>
          {' · '}
          {join.tests.length === 0 ? (
            <Box as="span" color="narrowed">
              no equality between both sides
            </Box>
          ) : differ.length > 0 ? (
            <Box as="span" color="narrowed">
              {differ.join('; ')}
            </Box>
          ) : (
            'types agree'
          )}
          {test?.left.text && test.right.text && (
            <>
              {' · '}
              <Box as="button" color="tide" aria-expanded={measuring} title="How many values of each side find a partner" onClick={() => setMeasuring(!measuring)}>
                {measuring ? 'hide what meets' : 'what meets?'}
              </Box>
            </>
          )}
        </Text>
      </Flex>
      {measuring && test && <Measured builder={builder} block={block} at={at} left={test.left.text} right={test.right.text} />}
    </>
  )
}

/** Who does a join: its source, its source widely and Rovik again, or Rovik over what crosses. */
function whereOf(piece: Piece | null): string {
  if (!piece) return 'not needed for the rows, or not planned yet'
  if (piece.verdict === 'folded') return `folds in ${piece.source}`
  if (piece.reason?.code === 'keys-shipped') return 'crosses; keys are shipped'
  return piece.verdict === 'narrowed' ? `narrowed in ${piece.source}, checked again here` : 'crosses'
}

function Measured({ builder, block, at, left, right }: { builder: Builder; block: number; at: number; left: string; right: string }) {
  const { sql, layer = '', view = '' } = builder.query
  const m = useQuery({ queryKey: ['meets', sql, layer, view, block, at, left, right], queryFn: ({ signal }) => api.measureJoin({ sql, layer, view, block, joined: at, left, right }, signal), staleTime: 300_000, retry: false })
  return (
    <Box pl="42px" pb="1" data-testid="measured">
      {m.isPending && (
        <Text color="faint" fontSize="11px">
          Counting values in their sources…
        </Text>
      )}
      {m.isError && (
        <ErrorLine of={m.error} fontSize="11px" />
      )}
      {m.data && <Shares measure={m.data} />}
    </Box>
  )
}
