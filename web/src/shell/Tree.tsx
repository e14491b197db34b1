import { Box, Flex, Input, Text } from '@chakra-ui/react'
import { ChevronDown, ChevronRight } from 'lucide-react'
import { useState } from 'react'
import { Link, useLocation } from 'react-router'
import type { Catalog } from '../api/client'
import { offerRelation } from '../build/relations'
import { count, middle } from '../lib/text'
import { localName } from '../sources/TableList'
import { hueOf } from '../theme'

/** Views by layer, highest first, then tables by source. */
export function Tree({ catalog }: { catalog: Catalog }) {
  const [filter, setFilter] = useState('')
  const wanted = (name: string) => name.toLowerCase().includes(filter.trim().toLowerCase())
  const sources = catalog.sources.map((s) => s.name)
  return (
    <Flex direction="column" h="100%">
      <Box px="2" py="2">
        <Input size="2xs" h="24px" bg="sheet" borderColor="line" _placeholder={{ color: 'faint' }} placeholder="Narrow the list, Ctrl+K to find" aria-label="Find a view or table" value={filter} onChange={(e) => setFilter(e.target.value)} />
      </Box>
      <Box flex="1" overflowY="auto" pb="4">
        {[...catalog.layers].reverse().map((l) => {
          const views = catalog.views.filter((v) => v.layer === l.name && wanted(`${v.layer}.${v.name}`))
          return (
            <Group key={l.name} name={l.name} title={l.description} mark={<Text color="faint">≡</Text>}>
              {views.map((v) => (
                <Leaf key={v.name} to={`/view/${v.layer}/${v.name}`} label={v.name} relation={`${v.layer}.${v.name}`} title={v.error || v.description} broken={v.error !== ''} />
              ))}
              {views.length === 0 && <Empty>{filter ? 'nothing by that name' : 'no views yet'}</Empty>}
            </Group>
          )
        })}
        <Box h="1px" bg="line" mx="3" my="2" />
        {catalog.sources.map((s) => {
          const tables = (s.found?.tables ?? []).filter((t) => !s.hidden.includes(localName(t)) && wanted(`${s.name}.${t.name}`))
          return (
            <Group key={s.name} name={s.name} aside={s.note ? 'stand-in' : ''} title={s.note || s.address} mark={<Box w="9px" h="9px" borderRadius="2px" style={{ background: hueOf(s.name, sources) }} />}>
              {tables.map((t) => (
                <Leaf key={t.schema + t.name} to={`/sources/${s.name}/${t.name}`} label={t.name} relation={[s.name, t.schema, t.name].filter(Boolean).join('.')} title={`${s.name}.${t.name}`} aside={count(t.rows)} />
              ))}
              {tables.length === 0 && <Empty>{filter ? 'nothing by that name' : 'no tables'}</Empty>}
            </Group>
          )
        })}
      </Box>
    </Flex>
  )
}

function Empty({ children }: { children: React.ReactNode }) {
  return (
    <Text pl="8" fontSize="12px" color="faint">
      {children}
    </Text>
  )
}

function Group(p: { name: string; title: string; aside?: string; mark: React.ReactNode; children: React.ReactNode }) {
  const [open, setOpen] = useState(true)
  return (
    <Box mb="1">
      <Flex as="button" w="100%" align="center" gap="1.5" px="2" h="22px" title={p.title} aria-expanded={open} onClick={() => setOpen(!open)} _hover={{ bg: 'paper' }}>
        <Box color="faint">{open ? <ChevronDown size={12} /> : <ChevronRight size={12} />}</Box>
        {p.mark}
        <Text fontFamily="heading" fontWeight="600">
          {p.name}
        </Text>
        {p.aside && (
          <Text fontSize="11px" color="narrowed">
            {p.aside}
          </Text>
        )}
      </Flex>
      {open && p.children}
    </Box>
  )
}

/** A table or view: a link to it, and what the Builder takes by dragging or Ctrl+click. */
function Leaf(p: { to: string; label: string; relation: string; title: string; aside?: string; broken?: boolean }) {
  const here = useLocation().pathname === p.to
  return (
    <Link
      to={p.to}
      title={`${p.label}${p.title ? ' — ' + p.title : ''}`}
      draggable
      onDragStart={(e) => e.dataTransfer.setData('text/plain', p.relation)}
      onClick={(e) => {
        if (!e.ctrlKey && !e.metaKey) return
        e.preventDefault()
        offerRelation(p.relation)
      }}
    >
      <Flex pl="7" pr="3" h="21px" align="center" gap="2" fontSize="12px" bg={here ? 'sheet' : undefined} borderLeft="3px solid" borderColor={here ? 'tide' : 'transparent'} _hover={{ bg: here ? 'sheet' : 'paper' }}>
        <Text flex="1" truncate color={p.broken ? 'kept' : undefined}>
          {middle(p.label, 26)}
          {p.broken && ' — broken'}
        </Text>
        {p.aside && (
          <Text color="faint" fontSize="11px" fontVariantNumeric="tabular-nums">
            {p.aside}
          </Text>
        )}
      </Flex>
    </Link>
  )
}
