import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { Operator, Piece, Report } from '../api/client'
import { bytes, count, millis, rows } from '../lib/text'
import { hueOf } from '../theme'
import { Card } from './Card'
import { Glyph } from './Glyph'
import { cardWidth, lay, opHeight, opWidth, thickness } from './layout'

interface Props {
  report: Report
  sources: string[]
  chosen: string | null
  onChoose: (piece: string | null) => void
}

/**
 * The waterline drawing. Below the line the sources work, one card for each
 * native statement; above it Rovik does the rest. What crosses the line is
 * what the query costs.
 */
export function Drawing({ report, sources, chosen, onChoose }: Props) {
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
  const layout = useMemo(() => lay(report, size.width), [report, size.width])
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
            const to = l.to.id === 'result' ? l.to.y + 22 : l.to.y + opHeight
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
        {layout.operators.map((o) => (
          <OperatorBox key={o.id} x={o.x} y={o.y} operator={o.operator} pieces={pieces} chosen={chosen} onChoose={onChoose} />
        ))}
        {layout.cards.map((c) => {
          const s = report.statements.find((s) => s.id === c.id)
          return (
            s && (
              <Box key={c.id}>
                <Crossing x={c.x} y={layout.waterline + 9} text={crossing(s)} title={s.rows === undefined ? 'Rows expected to cross the waterline' : 'What crossed the waterline'} />
                <Card statement={s} report={report} sources={sources} chosen={chosen} onChoose={onChoose} style={{ left: c.x - cardWidth / 2, top: c.y, width: cardWidth, height: cardHeight }} />
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
        <Text position="absolute" left="2" fontSize="11px" color="faint" fontFamily="heading" fontStyle="italic" pointerEvents="none" style={{ top: layout.waterline + 6 }}>
          sources
        </Text>
      </Box>
    </Box>
  )
}

function operatorRows(report: Report, id: string): number {
  const o = report.operators.find((o) => o.id === id)
  return o ? (o.rows ?? o.estimatedRows) : 1
}

function crossing(s: Report['statements'][number]): string {
  if (s.rows === undefined) return `≈ ${rows(s.estimatedRows)}`
  return `${rows(s.rows)} · ${bytes(s.bytes ?? 0)} · ${millis(s.milliseconds ?? 0)}`
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
  x: number
  y: number
  operator: Operator
  pieces: Map<string, Piece>
  chosen: string | null
  onChoose: (piece: string) => void
}

function OperatorBox({ x, y, operator, pieces, chosen, onChoose }: OperatorProps) {
  const own = operator.pieces.map((id) => pieces.get(id)).filter((p) => p !== undefined)
  const lit = chosen !== null && operator.pieces.includes(chosen)
  const n = operator.rows
  const words = own.map((p) => `${p.verdict}: ${p.text}`).join('\n')
  return (
    <Flex
      as={own.length ? 'button' : 'div'}
      position="absolute"
      direction="column"
      justify="center"
      px="2"
      bg={lit ? 'lit' : 'sheet'}
      border="1px solid"
      borderColor={lit ? 'narrowed' : 'line'}
      borderRadius="4px"
      textAlign="left"
      title={words || operator.label}
      data-testid="operator"
      style={{ left: x - opWidth / 2, top: y, width: opWidth, height: opHeight }}
      onClick={(e) => {
        e.stopPropagation()
        const next = own[(own.findIndex((p) => p.id === chosen) + 1) % own.length]
        if (next) onChoose(next.id)
      }}
    >
      <Flex align="center" gap="1" fontSize="11px" lineHeight="1.2">
        {own.length > 0 && <Glyph verdict={own.some((p) => p.verdict === 'kept') ? 'kept' : 'narrowed'} size={12} />}
        <Text truncate flex="1">
          {operator.label}
        </Text>
        <Text color="faint" fontSize="10.5px" fontVariantNumeric="tabular-nums">
          {n === undefined ? `≈ ${count(operator.estimatedRows)}` : count(n)}
        </Text>
      </Flex>
    </Flex>
  )
}
