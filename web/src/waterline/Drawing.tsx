import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Operator, Piece, Query, Report } from '../api/client'
import { bytes, count, millis, rows } from '../lib/text'
import { hueOf } from '../theme'
import { Card, CardHead } from './Card'
import { Glyph } from './Glyph'
import { lay, rowOf, thickness } from './layout'

interface Props {
  report: Report
  query: Query
  sources: string[]
  chosen: string | null
  onChoose: (piece: string | null) => void
}

/**
 * The waterline drawing. Below the line the sources work, one card for each
 * native statement; above it Rovik does the rest. What crosses the line is
 * what the query costs.
 */
export function Drawing({ report, query, sources, chosen, onChoose }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const [size, setSize] = useState({ width: 560, height: 400 })
  useLayoutEffect(() => {
    const el = box.current!
    const measure = () => setSize({ width: el.clientWidth, height: el.clientHeight })
    const watch = new ResizeObserver(measure)
    watch.observe(el)
    measure()
    return () => watch.disconnect()
  }, [])
  const [asked, setAsked] = useState<string | null>(null)
  const open = useMemo(() => {
    // A chosen piece opens its statement; else the one asked for, else the costliest.
    const of = report.pieces.find((p) => p.id === chosen)?.statement
    const costly = [...report.statements].sort((a, b) => b.estimatedRows - a.estimatedRows)[0]?.id
    return of || report.statements.find((s) => s.id === asked)?.id || costly || null
  }, [report, chosen, asked])
  const layout = useMemo(() => lay(report, size.width, open), [report, size.width, open])
  const pieces = useMemo(() => new Map(report.pieces.map((p) => [p.id, p])), [report])
  const cardHeight = Math.max(190, size.height - layout.waterline - 42)
  const height = layout.waterline + 34 + cardHeight + 8
  return (
    <Box ref={box} flex="1" minH="0" overflow="auto" position="relative" data-testid="waterline" onClick={() => onChoose(null)}>
      <Box position="relative" style={{ width: layout.width, height: Math.max(height, size.height) }}>
        <Box position="absolute" left="0" right="0" bottom="0" bg="sea" style={{ top: layout.waterline }} />
        <chakra.svg position="absolute" inset="0" width="100%" height="100%" pointerEvents="none">
          <Wave y={layout.waterline} width={layout.width} />
          {layout.lines.map((l) => {
            const s = report.statements.find((s) => s.id === l.statement)
            const to = l.to.y + l.to.height
            const mid = (l.from.y + to) / 2
            return (
              <g key={l.from.id + l.to.id}>
                <path
                  d={`M${l.from.x} ${l.from.y} C${l.from.x} ${mid} ${l.to.x} ${mid} ${l.to.x} ${to}`}
                  fill="none"
                  style={{ stroke: s ? hueOf(s.source, sources) : 'var(--chakra-colors-line)' }}
                  strokeWidth={thickness(s ? (s.rows ?? s.estimatedRows) : operatorRows(report, l.from.id))}
                  opacity={s ? 0.75 : 1}
                />
              </g>
            )
          })}
        </chakra.svg>
        <Result report={report} x={layout.lines.find((l) => l.to.id === 'result')?.to.x ?? size.width / 2} />
        {layout.stacks.map((s) => (
          <Box key={s.id} position="absolute" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" overflow="hidden" style={{ left: s.x - s.width / 2, top: s.y, width: s.width }}>
            {s.operators.map((o, i) => (
              <OperatorRow key={o.id} first={i === 0} height={rowOf(report)} operator={o} pieces={pieces} chosen={chosen} onChoose={onChoose} />
            ))}
          </Box>
        ))}
        {layout.cards.map((c) => {
          const s = report.statements.find((s) => s.id === c.id)
          return (
            s && (
              <Box key={c.id}>
                <Crossing x={c.x} y={layout.waterline + 9} text={c.open ? crossing(s) : brief(s)} title={`${crossing(s)}: ${s.rows === undefined ? 'expected to cross the waterline' : 'what crossed the waterline'}`} />
                {c.open ? (
                  <Card key={s.id + s.text} statement={s} query={query} report={report} sources={sources} chosen={chosen} onChoose={onChoose} style={{ left: c.x - c.width / 2, top: c.y, width: c.width, height: cardHeight }} />
                ) : (
                  <CardHead statement={s} report={report} sources={sources} style={{ left: c.x - c.width / 2, top: c.y, width: c.width, height: cardHeight }} onOpen={() => setAsked(s.id)} />
                )}
              </Box>
            )
          )
        })}
        {report.statements.length === 0 && (
          <Text position="absolute" left="0" right="0" textAlign="center" color="faint" style={{ top: layout.waterline + 30 }}>
            No source is contacted.
          </Text>
        )}
        <Text position="absolute" left="2" fontSize="11px" color="faint" fontFamily="heading" fontStyle="italic" pointerEvents="none" style={{ top: layout.waterline - 20 }}>
          Rovik
        </Text>
        {layout.cards.every((c) => c.open) && (
          <Text position="absolute" left="2" fontSize="11px" color="faint" fontFamily="heading" fontStyle="italic" pointerEvents="none" style={{ top: layout.waterline + 6 }}>
            sources
          </Text>
        )}
      </Box>
    </Box>
  )
}

function operatorRows(report: Report, id: string): number {
  const o = report.operators.find((o) => o.id === id)
  return o ? (o.rows ?? o.estimatedRows) : 1
}

/** Rows alone, for a card that is folded up. */
function brief(s: Report['statements'][number]): string {
  return s.rows === undefined ? `≈ ${count(s.estimatedRows)}` : count(s.rows)
}

function crossing(s: Report['statements'][number]): string {
  if (s.rows === undefined) return `≈ ${rows(s.estimatedRows)}`
  const keys = s.shippedKeys > 0 ? ` · ${count(s.shippedKeys)} keys sent` : s.keysGivenUp > 0 ? ` · not ${count(s.keysGivenUp)} keys` : ''
  return `${rows(s.rows)} · ${bytes(s.bytes ?? 0)} · ${millis(s.milliseconds ?? 0)}${keys}`
}

function Wave({ y, width }: { y: number; width: number }) {
  let d = `M0 ${y}`
  for (let x = 0; x < width; x += 28) d += ` q7 -3.5 14 0 t14 0`
  return <path d={d} fill="none" stroke="var(--chakra-colors-tide)" strokeWidth="1.6" />
}

function Crossing({ x, y, text, title }: { x: number; y: number; text: string; title: string }) {
  return (
    <Text
      position="absolute"
      title={title}
      bg="sea"
      px="1.5"
      borderRadius="3px"
      fontSize="11px"
      fontVariantNumeric="tabular-nums"
      whiteSpace="nowrap"
      transform="translateX(-50%)"
      data-testid="crossing"
      style={{ left: x, top: y }}
    >
      {text}
    </Text>
  )
}

function Result({ report, x }: { report: Report; x: number }) {
  const text = report.rowsReturned === undefined ? `${report.columns.length} columns` : `${rows(report.rowsReturned)} out`
  return (
    <Text position="absolute" top="2px" fontSize="11px" color="faint" whiteSpace="nowrap" transform="translateX(-50%)" style={{ left: x }}>
      {text}
    </Text>
  )
}

interface OperatorProps {
  first: boolean
  height: number
  operator: Operator
  pieces: Map<string, Piece>
  chosen: string | null
  onChoose: (piece: string) => void
}

/** One operator of a stack, with the verdict of the pieces that it does. */
function OperatorRow({ first, height, operator, pieces, chosen, onChoose }: OperatorProps) {
  const own = operator.pieces.map((id) => pieces.get(id)).filter((p) => p !== undefined)
  const lit = chosen !== null && operator.pieces.includes(chosen)
  const n = operator.rows
  const words = own.map((p) => `${p.verdict}: ${p.text}`).join('\n')
  return (
    <Flex
      as={own.length ? 'button' : 'div'}
      w="100%"
      align="center"
      gap="1"
      px="2"
      fontSize="11px"
      lineHeight="1.2"
      textAlign="left"
      bg={lit ? 'lit' : undefined}
      borderTop={first ? undefined : '1px dotted'}
      borderColor="line"
      title={words || operator.label}
      data-testid="operator"
      style={{ height }}
      onClick={(e) => {
        e.stopPropagation()
        const next = own[(own.findIndex((p) => p.id === chosen) + 1) % own.length]
        if (next) onChoose(next.id)
      }}
    >
      {own.length > 0 && <Glyph verdict={own.some((p) => p.verdict === 'kept') ? 'kept' : 'narrowed'} size={12} />}
      <Text truncate flex="1">
        {operator.label}
      </Text>
      <Text color="faint" fontSize="10.5px" fontVariantNumeric="tabular-nums">
        {n === undefined ? `≈ ${count(operator.estimatedRows)}` : count(n)}
      </Text>
    </Flex>
  )
}
