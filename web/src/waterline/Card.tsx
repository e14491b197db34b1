import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState } from 'react'
import { api, ApiError, type Piece, type Query, type Report, type Statement } from '../api/client'
import { bytes, count, fromBytes, middle } from '../lib/text'
import { hueOf } from '../theme'
import { Glyph } from './Glyph'

/** The clauses of a statement in SQL's order, with the pieces that go there. */
const clauses: [Piece['kind'][], string][] = [
  [['expression'], 'computes'],
  [['join'], 'joins'],
  [['filter'], 'filters'],
  [['aggregate', 'distinct'], 'groups'],
  [['window'], 'windows'],
  [['set'], 'combines'],
  [['sort'], 'sorts'],
  [['limit'], 'limits'],
]

interface Props {
  statement: Statement
  query: Query
  report: Report
  sources: string[]
  chosen: string | null
  onChoose: (piece: string) => void
  style: React.CSSProperties
}

/** One native statement, standing in its source. */
export function Card({ statement, query, report, sources, chosen, onChoose, style }: Props) {
  const [planned, setPlanned] = useState(false)
  const pieces = report.pieces.filter((p) => p.statement === statement.id && p.verdict !== 'kept')
  const hue = hueOf(statement.source, sources)
  return (
    <Flex position="absolute" direction="column" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" overflow="hidden" data-testid="card" style={style} onClick={(e) => e.stopPropagation()}>
      <Flex align="baseline" gap="2" px="2" py="1" style={{ borderTop: `3px solid ${hue}` }}>
        <Text fontFamily="heading" fontWeight="600" fontSize="14px" style={{ color: hue }}>
          {statement.source}
        </Text>
        <Text fontSize="11px" color="faint" ml="auto" truncate>
          {report.statements.length > 4 ? '' : 'statement '}
          {statement.id.slice(1)} of {report.statements.length}
        </Text>
        <chakra.button type="button" fontSize="11px" whiteSpace="nowrap" color="tide" textDecoration="underline" aria-pressed={planned} title={`Ask ${statement.source} how it would run this: ${statement.language === 'sql' ? 'which index, which scan' : 'which files, which parts of them'}`} onClick={() => setPlanned(!planned)}>
          {planned ? (statement.language === 'sql' ? 'its SQL' : 'what is read') : 'its plan'}
        </chakra.button>
      </Flex>
      <Box overflowY="auto" flexShrink={1} maxH="46%" px="1">
        {clauses.map(([kinds, word]) => {
          const own = pieces.filter((p) => kinds.includes(p.kind))
          return own.map((p, i) => (
            <PieceLine key={p.id} piece={p} word={i === 0 ? word : ''} lit={p.id === chosen} onChoose={onChoose} />
          ))
        })}
        {pieces.length === 0 && (
          <Text px="1" fontSize="11px" color="faint">
            Sends bare columns; nothing folded here.
          </Text>
        )}
      </Box>
      {planned ? <OwnPlan statement={statement} query={query} /> : <Native statement={statement} pieces={pieces} chosen={chosen} onChoose={onChoose} />}
    </Flex>
  )
}

/** How the source says that it would run the statement. */
function OwnPlan({ statement, query }: { statement: Statement; query: Query }) {
  const { data, error } = useQuery({ queryKey: ['source-plan', query], queryFn: ({ signal }) => api.sourcePlan(query, signal), staleTime: 30_000, retry: false })
  const plan = data?.find((p) => p.statement === statement.id)
  return (
    <Box flex="1" minH="70px" overflow="auto" borderTop="1px dashed" borderColor="line" mt="1" px="2" py="1" data-testid="source-plan">
      {error && (
        <Text fontSize="12px" color="kept">
          {error instanceof ApiError ? `${error.problem.message} ${error.problem.hint}` : String(error)}
        </Text>
      )}
      {!data && !error && (
        <Text fontSize="12px" color="faint">
          Asking {statement.source}…
        </Text>
      )}
      {plan?.note && (
        <Text fontSize="11px" color="faint" fontStyle="italic">
          {plan.note}
        </Text>
      )}
      <chakra.pre m="0" fontFamily="mono" fontSize="11px" lineHeight="1.45" whiteSpace="pre-wrap" overflowWrap="anywhere">
        {plan?.lines.join('\n')}
      </chakra.pre>
    </Box>
  )
}

/** A card folded up: which source, and how its pieces fared. */
export function CardHead({ statement, report, sources, style, onOpen }: { statement: Statement; report: Report; sources: string[]; style: React.CSSProperties; onOpen: () => void }) {
  const pieces = report.pieces.filter((p) => p.statement === statement.id)
  const hue = hueOf(statement.source, sources)
  return (
    <Flex
      as="button"
      position="absolute"
      direction="column"
      align="stretch"
      textAlign="left"
      bg="sheet"
      border="1px solid"
      borderColor="line"
      borderRadius="4px"
      overflow="hidden"
      _hover={{ bg: 'sea' }}
      title={`${statement.source}\n${statement.text}`}
      data-testid="card"
      style={style}
      onClick={(e) => {
        e.stopPropagation()
        onOpen()
      }}
    >
      <Box px="1.5" py="1" style={{ borderTop: `3px solid ${hue}` }}>
        <Text fontFamily="heading" fontWeight="600" fontSize="13px" truncate style={{ color: hue }}>
          {statement.source}
        </Text>
        <Text fontSize="11px" color="faint">
          {statement.id.slice(1)} of {report.statements.length}
        </Text>
      </Box>
      {(['folded', 'narrowed', 'kept'] as const).map((v) => {
        const n = pieces.filter((p) => p.verdict === v).length
        return (
          n > 0 && (
            <Flex key={v} align="center" gap="1" px="1.5" h="18px" fontSize="11px" color={v}>
              <Glyph verdict={v} size={12} /> {n}
            </Flex>
          )
        )
      })}
    </Flex>
  )
}

export function PieceLine({ piece, word, lit, onChoose }: { piece: Piece; word: string; lit: boolean; onChoose: (id: string) => void }) {
  return (
    <Flex as="button" w="100%" align="center" gap="1.5" px="1" h="20px" textAlign="left" borderRadius="3px" bg={lit ? 'lit' : undefined} _hover={{ bg: lit ? 'lit' : 'sea' }} title={`${piece.text}\n${piece.verdict}`} data-testid="piece" data-verdict={piece.verdict} onClick={() => onChoose(piece.id)}>
      <Text w="56px" flexShrink={0} fontSize="11px" color="faint" fontStyle="italic" fontFamily="heading">
        {word}
      </Text>
      <Glyph verdict={piece.verdict} size={12} />
      <Text truncate fontFamily="mono" fontSize="11px">
        {middle(piece.text, 44)}
      </Text>
    </Flex>
  )
}

/** The native text, in which each piece's part can be chosen. */
function Native({ statement, pieces, chosen, onChoose }: { statement: Statement; pieces: Piece[]; chosen: string | null; onChoose: (id: string) => void }) {
  const parts = useMemo(() => cut(statement.text, pieces), [statement.text, pieces])
  const box = useRef<HTMLPreElement>(null)
  useEffect(() => {
    const mark = box.current?.querySelector('[data-lit=true]')
    if (mark && box.current) box.current.scrollTop = Math.max(0, (mark as HTMLElement).offsetTop - box.current.offsetTop - 24)
  }, [chosen, parts])
  return (
    <Flex direction="column" flex="1" minH="70px" borderTop="1px dashed" borderColor="line" mt="1">
      <chakra.pre ref={box} flex="1" minH="0" overflow="auto" px="2" py="1" m="0" fontFamily="mono" fontSize="11px" lineHeight="1.45" whiteSpace="pre-wrap" overflowWrap="anywhere" data-testid="native" tabIndex={0} role="region" aria-label="Native statement">
        {parts.map((p, i) => {
          const lit = chosen !== null && p.pieces.includes(chosen)
          const inner = p.pieces[p.pieces.length - 1]
          return (
            <chakra.span key={i} data-lit={lit} bg={lit ? 'lit' : undefined} cursor={inner ? 'pointer' : undefined} onClick={inner ? () => onChoose(inner) : undefined}>
              {p.text}
            </chakra.span>
          )
        })}
      </chakra.pre>
      {(statement.touched ?? []).length > 0 && (
        <Text px="2" py="0.5" fontSize="11px" color="faint" borderTop="1px dashed" borderColor="line" data-testid="reading">
          read {reading(statement)}
        </Text>
      )}
      {(statement.unfit ?? []).map((u) => (
        <Text key={u.column} px="2" py="0.5" fontSize="11px" color="narrowed" borderTop="1px dashed" borderColor="line" data-testid="unfit" title={u.example}>
          {count(u.count)} of {u.column} did not fit {u.type}: {u.became === 'null' ? 'NULL' : 'text'}
        </Text>
      ))}
      {statement.parameters.length > 0 && (
        <Text px="2" py="0.5" fontSize="11px" color="faint" borderTop="1px dashed" borderColor="line" truncate title={statement.parameters.join(', ')}>
          with <chakra.span fontFamily="mono">{statement.parameters.join(', ')}</chakra.span>
        </Text>
      )}
    </Flex>
  )
}

/** How much of its files a source has read, of how much there is. */
function reading(s: Statement): string {
  const part = (t: { what: string; read: number; of: number }) => (t.what === 'bytes' ? `${bytes(t.read)} of ${bytes(t.of)}` : `${count(t.read)} of ${count(t.of)} ${t.what}`)
  return (s.touched ?? []).map(part).join(' · ')
}

interface Part {
  text: string
  pieces: string[] // outermost first
}

/** Cuts a text where pieces begin and end. */
function cut(text: string, pieces: Piece[]): Part[] {
  const at = fromBytes(text)
  const spans = pieces.flatMap((p) => p.native.map((s) => ({ id: p.id, start: at(s[0]!), end: at(s[1]!) })))
  const edges = [...new Set([0, text.length, ...spans.flatMap((s) => [s.start, s.end])])].sort((a, b) => a - b)
  const parts: Part[] = []
  for (let i = 0; i + 1 < edges.length; i++) {
    const [start, end] = [edges[i]!, edges[i + 1]!]
    const over = spans.filter((s) => s.start <= start && s.end >= end).sort((a, b) => b.end - b.start - (a.end - a.start))
    parts.push({ text: text.slice(start, end), pieces: over.map((s) => s.id) })
  }
  return parts
}
