import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useMemo } from 'react'
import { Link } from 'react-router'
import type { Catalog, LineageEdge } from '../api/client'
import { fromBytes } from '../lib/text'
import { useView } from '../lib/views'
import type { Picked } from './Strands'

/** The SQL of a step, with the places where what was picked comes in. */
export function StepText({ catalog, picked, onPick }: { catalog: Catalog; picked: Picked; onPick: (p: Picked | null) => void }) {
  const isView = catalog.views.some((v) => `${v.layer}.${v.name}` === picked.relation)
  const { data: view } = useView(isView ? picked.relation : '')
  const own = picked.edges.filter((e) => e.to.relation === picked.relation)
  return (
    <Flex direction="column" h="186px" flexShrink={0} borderTop="1px solid" borderColor="line" bg="sheet" data-testid="step">
      <Flex px="3" h="28px" align="center" gap="3" flexShrink={0}>
        {(picked.steps.length > 1 ? picked.steps : [picked.relation]).map((s) => (
          <chakra.button key={s} type="button" fontFamily="heading" fontWeight={s === picked.relation ? '600' : '400'} color={s === picked.relation ? 'ink' : 'tide'} whiteSpace="nowrap" onClick={() => onPick({ ...picked, relation: s })}>
            {s}
          </chakra.button>
        ))}
        <Text fontSize="12px" color="faint" flex="1" truncate title={own.map(words).join('\n')}>
          {own.length === 1 ? words(own[0]!) : view?.description}
        </Text>
        {view && (
          <Link to={`/view/${view.layer}/${view.name}${at(own)}`}>
            <Text color="tide" fontSize="12px">
              Open the view
            </Text>
          </Link>
        )}
        {!isView && !picked.relation.includes('#') && (
          <Link to={`/sources/${picked.relation.split('.')[0]}/${picked.relation.split('.').pop()}`}>
            <Text color="tide" fontSize="12px">
              Open the table
            </Text>
          </Link>
        )}
        <chakra.button type="button" color="faint" fontSize="12px" onClick={() => onPick(null)}>
          Close
        </chakra.button>
      </Flex>
      <Box flex="1" overflow="auto" px="3" pb="2">
        {view ? <Marked text={view.sql} edges={own} /> : <SourceNote catalog={catalog} relation={picked.relation} />}
      </Box>
    </Flex>
  )
}

const words = (e: LineageEdge) => (e.from.column ? `${e.from.relation}.${e.from.column}: ${e.via}${e.to.column ? ` → ${e.to.column}` : ''}` : `rows of ${e.from.relation}`)

/** Where an editor is to open. */
function at(edges: LineageEdge[]): string {
  const span = edges.flatMap((e) => e.spans ?? []).at(-1)
  return span ? `?at=${span.start}-${span.end}` : ''
}

function Marked({ text, edges }: { text: string; edges: LineageEdge[] }) {
  const parts = useMemo(() => {
    const unit = fromBytes(text)
    // The innermost of spans within each other is the most telling one.
    const spans = edges.flatMap((e) => e.spans ?? []).map((s) => [unit(s.start), unit(s.end)] as const)
    const telling = spans.filter((s) => !spans.some((o) => o !== s && o[0] >= s[0] && o[1] <= s[1] && o[1] - o[0] < s[1] - s[0]))
    const marks = new Array<boolean>(text.length).fill(false)
    for (const [from, to] of telling) marks.fill(true, from, to)
    const out: { text: string; lit: boolean }[] = []
    for (let i = 0; i < text.length; ) {
      let j = i
      while (j < text.length && marks[j] === marks[i]) j++
      out.push({ text: text.slice(i, j), lit: marks[i]! })
      i = j
    }
    return out
  }, [text, edges])
  return (
    <Box as="pre" m="0" fontFamily="mono" fontSize="12px" whiteSpace="pre-wrap">
      {parts.map((p, i) =>
        p.lit ? (
          <chakra.mark key={i} bg="lit" color="ink" ref={i === parts.findIndex((x) => x.lit) ? (e: HTMLElement | null) => e?.scrollIntoView({ block: 'nearest' }) : undefined}>
            {p.text}
          </chakra.mark>
        ) : (
          p.text
        ),
      )}
    </Box>
  )
}

function SourceNote({ catalog, relation }: { catalog: Catalog; relation: string }) {
  const table = catalog.sources.flatMap((s) => s.found?.tables ?? []).find((t) => [t.source, t.schema, t.name].filter(Boolean).join('.') === relation)
  if (!table) return <Text color="faint">A statement in the source&apos;s own language, as it stands: what is inside of it is not known.</Text>
  return (
    <Text color="faint">
      {(table.columns ?? []).map((c) => `${c.name} ${c.type}`).join(', ')}
    </Text>
  )
}
