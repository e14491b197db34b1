import { Box } from '@chakra-ui/react'
import { useLayoutEffect, useMemo, useRef, useState } from 'react'
import type { LineageEdge, LineageGraph, LineageNode } from '../api/client'
import { middle } from '../lib/text'
import { hueOf } from '../theme'
import { grouped, opened } from './groups'
import { type Card, headHeight, lay, rowHeight, type Shade, type Strand } from './layout'

/** What was picked in the drawing: a relation, and the edges into it whose places are shown. */
export interface Picked {
  relation: string
  edges: LineageEdge[]
  steps: string[] // on the way of the strand that was picked
}

interface Props {
  graph: LineageGraph
  influences: boolean
  folded: boolean
  sources: string[]
  picked: Picked | null
  onPick: (p: Picked | null) => void
  onAsk: (n: LineageNode) => void
}

const ink = 'var(--chakra-colors-ink)'
const faint = 'var(--chakra-colors-faint)'
const tide = 'var(--chakra-colors-tide)'

/** The strands: relations from the sources on the left to what is read on the right, and what each column passes on. */
export function Strands({ graph, influences, folded, sources, picked, onPick, onAsk }: Props) {
  const box = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(900)
  useLayoutEffect(() => {
    const el = box.current!
    const watch = new ResizeObserver(() => setWidth(el.clientWidth))
    watch.observe(el)
    setWidth(el.clientWidth)
    return () => watch.disconnect()
  }, [])
  const [shown, setShown] = useState<ReadonlyMap<string, number>>(new Map()) // how many relations of a group are drawn by themselves
  const view = useMemo(() => grouped(graph, shown, influences), [graph, shown, influences])
  const layout = useMemo(() => lay(view.graph, { influences, folded, groups: view.groups }, width), [view, influences, folded, width])
  const openUp = (group: string, of: number) => setShown(new Map(shown).set(group, (shown.get(group) ?? 0) + of))
  const asked = layout.cards.find((c) => c.rows.some((r) => r.asked))
  const end = asked ? asked.x + layout.cardWidth + 12 : 0
  const middleOfAsked = asked ? asked.y + asked.height / 2 : 0
  useLayoutEffect(() => {
    const el = box.current!
    el.scrollLeft = Math.max(0, end - el.clientWidth) // what was asked of is in sight
  }, [end])
  useLayoutEffect(() => {
    const el = box.current!
    if (shown.size === 0) el.scrollTop = Math.max(0, middleOfAsked - el.clientHeight / 2)
  }, [middleOfAsked, shown])
  const hue = (relation: string) => hueOf(relation.split('.')[0]!, sources)
  const lit = (edges: LineageEdge[]) => picked !== null && edges.some((e) => picked.edges.includes(e))
  return (
    <Box ref={box} flex="1" minH="0" overflow="auto" onClick={() => onPick(null)}>
      <svg data-testid="strands" width={Math.max(layout.width, width)} height={layout.height} viewBox={`0 0 ${Math.max(layout.width, width)} ${layout.height}`} style={{ display: 'block', fontFamily: 'var(--chakra-fonts-body)' }}>
        {layout.shades.map((s) => (
          <ShadeLine key={s.from + s.to} shade={s} lit={lit(s.edges)} onPick={() => onPick({ relation: s.to, edges: s.edges, steps: [] })} />
        ))}
        {layout.strands.map((s) => (
          <StrandLine key={[s.from.relation, s.from.column, s.to.relation, s.to.column].join()} strand={s} lit={lit(s.edges)} onPick={(relation) => onPick({ relation, edges: s.edges, steps: [...s.steps, s.to.relation] })} />
        ))}
        {layout.cards.map((c) =>
          c.group ? (
            <GroupBox key={c.relation} card={c} width={layout.cardWidth} hue={c.source ? hue(c.relation) : tide} onOpen={() => openUp(c.relation, opened)} />
          ) : (
            <CardBox key={c.relation} card={c} width={layout.cardWidth} hue={c.source ? hue(c.relation) : tide} chosen={picked?.relation === c.relation} onAsk={onAsk} onPick={() => onPick({ relation: c.relation, edges: graph.edges.filter((e) => e.to.relation === c.relation), steps: [] })} />
          ),
        )}
      </svg>
    </Box>
  )
}

function StrandLine({ strand, lit, onPick }: { strand: Strand; lit: boolean; onPick: (relation: string) => void }) {
  const wide = strand.via === 'aggregated' ? 3.5 : 1.6
  const says = `${strand.from.relation}.${strand.from.column} → ${strand.to.relation}.${strand.to.column}: ${strand.via}`
  return (
    <g data-via={strand.via} style={{ cursor: 'pointer' }} onClick={(e) => (e.stopPropagation(), onPick(strand.to.relation))}>
      <title>{says + (strand.steps.length > 0 ? `\nunchanged through ${strand.steps.join(', ')}` : '')}</title>
      <path d={strand.path} fill="none" style={{ stroke: 'transparent', strokeWidth: 11 }} />
      <path d={strand.path} fill="none" style={{ stroke: lit ? 'var(--chakra-colors-narrowed)' : tide, strokeWidth: lit ? wide + 1 : wide, strokeDasharray: strand.via === 'transformed' ? '7 3' : undefined }} />
      {strand.knots.map((k, i) => {
        const step = i === 0 ? strand.steps[0]! : strand.steps[strand.steps.length - 1]!
        const more = i > 0 && strand.steps.length > 2 ? `+${strand.steps.length - 2} ` : ''
        return (
          <g key={i} data-step={step} onClick={(e) => (e.stopPropagation(), onPick(step))}>
            <rect x={k.x - 40} y={k.y - 8} width={80} height={16} rx={2} style={{ fill: 'var(--chakra-colors-paper)', stroke: tide, strokeWidth: 1 }} />
            <text x={k.x} y={k.y + 3.5} textAnchor="middle" style={{ fontSize: 10, fill: ink }}>
              {middle(more + step.split('.').pop()!, 14)}
            </text>
          </g>
        )
      })}
    </g>
  )
}

function ShadeLine({ shade, lit, onPick }: { shade: Shade; lit: boolean; onPick: () => void }) {
  const says = [...new Set(shade.edges.map((e) => `${e.from.column} by ${e.via}`))].join('\n')
  return (
    <g data-via="influences" style={{ cursor: 'pointer' }} onClick={(e) => (e.stopPropagation(), onPick())}>
      <title>{`${shade.from} influences ${shade.to}:\n${says}`}</title>
      <path d={shade.path} fill="none" style={{ stroke: 'transparent', strokeWidth: 9 }} />
      <path d={shade.path} fill="none" style={{ stroke: lit ? 'var(--chakra-colors-narrowed)' : faint, strokeWidth: lit ? 1.8 : 1, strokeDasharray: '1.5 4', strokeLinecap: 'round' }} />
    </g>
  )
}

function CardBox({ card, width, hue, chosen, onPick, onAsk }: { card: Card; width: number; hue: string; chosen: boolean; onPick: () => void; onAsk: (n: LineageNode) => void }) {
  const fits = Math.floor((width - 18) / 6.7)
  const [whose, name] = namesOf(card.relation)
  return (
    <g transform={`translate(${card.x} ${card.y})`} data-relation={card.relation} style={{ cursor: 'pointer' }} onClick={(e) => (e.stopPropagation(), onPick())}>
      <title>{card.relation + (card.opaque ? '\na statement as it stands: nothing is known inside of it' : '')}</title>
      <rect width={width} height={card.height} rx={3} style={{ fill: 'var(--chakra-colors-sheet)', stroke: chosen ? 'var(--chakra-colors-narrowed)' : 'var(--chakra-colors-line)', strokeWidth: chosen ? 2 : 1, strokeDasharray: card.opaque ? '4 3' : undefined }} />
      <rect x={0} y={0} width={3} height={card.height} style={{ fill: hue }} />
      <text x={10} y={13} style={{ fontSize: 10, fill: faint }}>
        {middle(whose, fits + 2)}
      </text>
      <text x={10} y={28} style={{ fontSize: 11.5, fontWeight: 600, fill: ink }}>
        {middle(name, fits - 2)}
      </text>
      {card.rows.map((r) => (
        <g key={r.column} onClick={(e) => (e.stopPropagation(), onAsk({ relation: card.relation, column: r.column }))}>
          <title>{`${card.relation}.${r.column} ${r.type}\nshow the lineage of this column`}</title>
          {r.asked && <rect x={3} y={r.y - rowHeight / 2} width={width - 4} height={rowHeight} style={{ fill: 'var(--chakra-colors-lit)' }} />}
          <text x={10} y={r.y + 4} style={{ fontSize: 11, fill: ink, fontFamily: 'var(--chakra-fonts-mono)' }}>
            {middle(r.column, fits)}
          </text>
        </g>
      ))}
      {card.influencing.length > 0 && (
        <text x={10} y={headHeight + card.rows.length * rowHeight + 12} style={{ fontSize: 10.5, fill: faint }}>
          <title>{card.influencing.map((n) => n.column).join('\n')}</title>
          {card.influencing.length === 1 ? `${middle(card.influencing[0]!.column, fits - 11)} influences` : `${card.influencing.length} columns influence`}
        </text>
      )}
    </g>
  )
}

/** The relations of a layer that are not drawn by themselves yet. */
function GroupBox({ card, width, hue, onOpen }: { card: Card; width: number; hue: string; onOpen: () => void }) {
  const { of, relations, shown } = card.group!
  const what = `${relations.length}${shown > 0 ? ' more' : ''} ${card.source ? 'tables' : 'views'}`
  const open = (e: React.SyntheticEvent) => {
    e.stopPropagation()
    onOpen()
  }
  return (
    <g transform={`translate(${card.x} ${card.y})`} data-group={card.relation} role="button" tabIndex={0} aria-label={`Show ${opened} of ${what} of ${of}`} style={{ cursor: 'pointer' }} onClick={open} onKeyDown={(e) => (e.key === 'Enter' || e.key === ' ') && open(e)}>
      <title>{relations.slice(0, 20).join('\n') + (relations.length > 20 ? '\n…' : '')}</title>
      {[6, 3, 0].map((d) => (
        <rect key={d} x={d} y={d} width={width - 6} height={card.height - 6} rx={3} style={{ fill: 'var(--chakra-colors-sheet)', stroke: 'var(--chakra-colors-line)', strokeWidth: 1 }} />
      ))}
      <rect width={3} height={card.height - 6} style={{ fill: hue }} />
      <text x={10} y={13} style={{ fontSize: 10, fill: faint }}>
        {middle(of, Math.floor((width - 18) / 6.2))}
      </text>
      <text x={10} y={28} style={{ fontSize: 11.5, fontWeight: 600, fill: ink }}>
        {what}
      </text>
      <text x={10} y={headHeight + 10} style={{ fontSize: 10.5, fill: tide }}>
        show {Math.min(opened, relations.length)}
      </text>
    </g>
  )
}

/** Whose it is, a layer's or a source's, and its own name. */
function namesOf(relation: string): [string, string] {
  const cut = relation.lastIndexOf('.')
  return [relation.slice(0, cut).replace(/\.public$/, ''), relation.slice(cut + 1)]
}

/** The drawing as a file of its own: colours as they are now. */
export function svgText(svg: SVGSVGElement): string {
  const copy = svg.cloneNode(true) as SVGSVGElement
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  const style = getComputedStyle(document.documentElement)
  const resolve = (v: string) => v.replace(/var\((--[\w-]+)\)/g, (_, name: string) => style.getPropertyValue(name).trim()).replace(/light-dark\(([^,]+),\s*([^)]+)\)/g, (_, light: string, dark: string) => (style.colorScheme.includes('dark') ? dark : light))
  for (const el of [copy, ...copy.querySelectorAll<SVGElement>('*')]) {
    const own = el.getAttribute('style')
    if (own) el.setAttribute('style', resolve(own))
  }
  return new XMLSerializer().serializeToString(copy)
}
