import { Box, Flex, Input, Text } from '@chakra-ui/react'
import { useVirtualizer } from '@tanstack/react-virtual'
import { ChevronDown, ChevronRight } from 'lucide-react'
import { useMemo, useRef, useState } from 'react'
import { Link, useLocation } from 'react-router'
import type { Catalog } from '../api/client'
import { offerRelation } from '../builder/relations'
import { count, middle } from '../lib/text'
import { localName } from '../sources/TableList'
import { hueOf } from '../theme'

interface Group {
  key: string
  name: string
  title: string
  aside: string
  source: boolean
  leaves: Leaf[]
  none: string // what is said where there are no leaves
}

interface Leaf {
  to: string
  label: string
  relation: string
  title: string
  aside: string
  broken: boolean
}

type Line = { kind: 'group'; group: Group; open: boolean } | { kind: 'leaf'; leaf: Leaf } | { kind: 'none'; text: string } | { kind: 'rule' }

const height = { group: 23, leaf: 21, none: 20, rule: 17 }

/** Views by layer, highest first, then tables by source. Only the lines in sight are made. */
export function Tree({ catalog }: { catalog: Catalog }) {
  const [filter, setFilter] = useState('')
  const [closed, setClosed] = useState<Set<string>>(new Set())
  const scroll = useRef<HTMLDivElement>(null)
  const here = useLocation().pathname
  const groups = useMemo(() => groupsOf(catalog, filter.trim().toLowerCase()), [catalog, filter])
  const lines = useMemo(() => {
    const out: Line[] = []
    groups.forEach((group, i) => {
      if (group.source && !groups[i - 1]?.source) out.push({ kind: 'rule' })
      const open = !closed.has(group.key)
      out.push({ kind: 'group', group, open })
      if (!open) return
      for (const leaf of group.leaves) out.push({ kind: 'leaf', leaf })
      if (group.leaves.length === 0) out.push({ kind: 'none', text: group.none })
    })
    return out
  }, [groups, closed])
  const virtual = useVirtualizer({ count: lines.length, getScrollElement: () => scroll.current, estimateSize: (i) => height[lines[i]!.kind], overscan: 20 })
  const sources = catalog.sources.map((s) => s.name)
  const turn = (key: string) => setClosed((c) => new Set(c.has(key) ? [...c].filter((k) => k !== key) : [...c, key]))
  return (
    <Flex direction="column" h="100%">
      <Box px="2" py="2">
        <Input size="2xs" h="24px" bg="sheet" borderColor="line" _placeholder={{ color: 'faint' }} placeholder="Narrow the list, Ctrl+K to find" aria-label="Find a view or table" value={filter} onChange={(e) => setFilter(e.target.value)} />
      </Box>
      <Box ref={scroll} flex="1" overflowY="auto" pb="4" data-testid="tree">
        <Box position="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const line = lines[v.index]!
            return (
              <Box key={v.key} position="absolute" left="0" right="0" top="0" style={{ height: v.size, transform: `translateY(${v.start}px)` }}>
                {line.kind === 'group' && <GroupLine group={line.group} open={line.open} sources={sources} onTurn={() => turn(line.group.key)} />}
                {line.kind === 'leaf' && <LeafLine leaf={line.leaf} here={here === line.leaf.to} />}
                {line.kind === 'none' && (
                  <Text pl="8" fontSize="12px" color="faint">
                    {line.text}
                  </Text>
                )}
                {line.kind === 'rule' && <Box h="1px" bg="line" mx="3" mt="8px" />}
              </Box>
            )
          })}
        </Box>
      </Box>
    </Flex>
  )
}

function groupsOf(catalog: Catalog, filter: string): Group[] {
  const wanted = (name: string) => name.toLowerCase().includes(filter)
  const byLayer = new Map<string, Leaf[]>()
  for (const v of catalog.views) {
    const relation = `${v.layer}.${v.name}`
    if (!wanted(relation)) continue
    const leaves = byLayer.get(v.layer) ?? []
    leaves.push({ to: `/view/${v.layer}/${v.name}`, label: v.name, relation, title: v.error || v.description, aside: '', broken: v.error !== '' })
    byLayer.set(v.layer, leaves)
  }
  const out: Group[] = [...catalog.layers].reverse().map((l) => ({ key: 'layer ' + l.name, name: l.name, title: l.description, aside: '', source: false, leaves: byLayer.get(l.name) ?? [], none: filter ? 'nothing by that name' : 'no views yet' }))
  for (const s of catalog.sources) {
    const leaves: Leaf[] = []
    for (const t of s.found?.tables ?? []) {
      if (s.hidden.includes(localName(t)) || !wanted(`${s.name}.${t.name}`)) continue
      leaves.push({ to: `/sources/${s.name}/${t.name}`, label: t.name, relation: [s.name, t.schema, t.name].filter(Boolean).join('.'), title: `${s.name}.${t.name}`, aside: count(t.rows), broken: false })
    }
    out.push({ key: 'source ' + s.name, name: s.name, title: s.note || s.address, aside: s.note ? 'stand-in' : '', source: true, leaves, none: filter ? 'nothing by that name' : 'no tables' })
  }
  return out
}

function GroupLine({ group: g, open, sources, onTurn }: { group: Group; open: boolean; sources: string[]; onTurn: () => void }) {
  return (
    <Flex as="button" w="100%" align="center" gap="1.5" px="2" h="22px" title={g.title} aria-expanded={open} onClick={onTurn} _hover={{ bg: 'paper' }}>
      <Box color="faint">{open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}</Box>
      {g.source ? <Box w="9px" h="9px" borderRadius="2px" style={{ background: hueOf(g.name, sources) }} /> : <Text color="faint">≡</Text>}
      <Text fontFamily="heading" fontWeight="600">
        {g.name}
      </Text>
      {g.aside && (
        <Text fontSize="11px" color="narrowed">
          {g.aside}
        </Text>
      )}
      {!open && (
        <Text ml="auto" fontSize="11px" color="faint">
          {count(g.leaves.length)}
        </Text>
      )}
    </Flex>
  )
}

/** A table or view: a link to it, and what the Builder takes by dragging or Ctrl+click. */
function LeafLine({ leaf: l, here }: { leaf: Leaf; here: boolean }) {
  return (
    <Link
      to={l.to}
      title={`${l.label}${l.title ? ' — ' + l.title : ''}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData('text/plain', l.relation)}
      onClick={(e) => {
        if (!e.ctrlKey && !e.metaKey) return
        e.preventDefault()
        offerRelation(l.relation)
      }}
    >
      <Flex pl="7" pr="3" h="21px" align="center" gap="2" fontSize="12px" bg={here ? 'sheet' : undefined} borderLeft="3px solid" borderColor={here ? 'tide' : 'transparent'} _hover={{ bg: here ? 'sheet' : 'paper' }}>
        <Text flex="1" truncate color={l.broken ? 'kept' : undefined}>
          {middle(l.label, 26)}
          {l.broken && ' — broken'}
        </Text>
        {l.aside && (
          <Text color="faint" fontSize="11px" fontVariantNumeric="tabular-nums">
            {l.aside}
          </Text>
        )}
      </Flex>
    </Link>
  )
}
