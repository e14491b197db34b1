import { Box, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { ChevronDown } from 'lucide-react'
import { useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import type { SourceInfo } from '../api/client'
import { middle } from '../lib/text'
import { Title } from '../shell/Title'
import { hueOf } from '../theme'
import { products } from './products'

/** The state of a source in a word, and its tone; nothing where it is well or was never checked. */
function stateOf(s: SourceInfo): { word: string; tone: string } | null {
  if (!s.found) return { word: 'never reached', tone: 'kept' }
  if (s.health?.state === 'unreachable') return { word: 'unreachable', tone: 'kept' }
  if (s.health && s.health.state !== 'well') return { word: 'differs', tone: s.health.broken.length > 0 ? 'kept' : 'narrowed' }
  return null
}

/** The chosen source, and a list of all to choose another from: searched by name, kind, address and state, by kind. */
export function SourcePicker({ sources, source }: { sources: SourceInfo[]; source: SourceInfo }) {
  const [open, setOpen] = useState(false)
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const box = useRef<HTMLDivElement>(null)
  const navigate = useNavigate()
  const names = sources.map((s) => s.name)
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean)
  const found = sources
    .filter((s) => wanted.every((w) => `${s.name} ${products[s.kind] ?? s.kind} ${s.address} ${stateOf(s)?.word ?? 'well'}`.toLowerCase().includes(w)))
    .sort((a, b) => (products[a.kind] ?? a.kind).localeCompare(products[b.kind] ?? b.kind) || a.name.localeCompare(b.name))
  const unwell = sources.filter(stateOf)
  const close = () => {
    setOpen(false)
    setWords('')
    setAt(0)
  }
  const go = (s: SourceInfo) => {
    close()
    void navigate(`/sources/${s.name}`)
  }
  const show = () => {
    setAt(found.indexOf(source))
    setOpen(true)
  }
  const look = (words: string) => {
    setWords(words)
    setAt(0)
    setOpen(true)
  }
  return (
    <Box ref={box} position="relative" minW="0" onBlur={(e) => !box.current?.contains(e.relatedTarget) && close()}>
      <Flex align="center" gap="2">
        <chakra.button type="button" display="flex" alignItems="center" gap="1.5" h="28px" px="2" minW="0" borderRadius="4px" border="1px solid" borderColor="line" bg="sheet" aria-haspopup="listbox" aria-expanded={open} title={`${source.name}: ${products[source.kind] ?? source.kind}. Choose another source`} onClick={() => (open ? close() : show())}>
          <Box w="9px" h="9px" borderRadius="2px" flexShrink={0} style={{ background: hueOf(source.name, names) }} />
          <Title>{middle(source.name, 28)}</Title>
          <Text fontSize="12px" color="faint" whiteSpace="nowrap">
            {products[source.kind] ?? source.kind}
          </Text>
          <ChevronDown size={13} />
        </chakra.button>
        <Text fontSize="12px" color="faint" whiteSpace="nowrap">
          {sources.length} {sources.length === 1 ? 'source' : 'sources'}
        </Text>
        {['kept', 'narrowed'].map((tone) => {
          const some = unwell.filter((s) => stateOf(s)!.tone === tone)
          const word = some[0] && stateOf(some[0])!.word
          return some.length > 0 ? (
            <chakra.button key={tone} type="button" fontSize="12px" color={tone} textDecoration="underline" whiteSpace="nowrap" title={some.map((s) => `${s.name}: ${stateOf(s)!.word}`).join(', ')} onClick={() => look(word!)}>
              {some.length} {word}
            </chakra.button>
          ) : null
        })}
      </Flex>
      {open && (
        <Box position="absolute" top="32px" left="0" zIndex={10} w="420px" bg="sheet" border="1px solid" borderColor="tide" borderRadius="4px" boxShadow="md" data-testid="source-list">
          <Box p="1.5" borderBottom="1px solid" borderColor="line">
            <Input
              size="2xs"
              bg="paper"
              autoFocus
              aria-label="Find a source"
              placeholder="name, kind, address or state"
              _placeholder={{ color: 'faint' }}
              value={words}
              onChange={(e) => look(e.target.value)}
              onKeyDown={(e) => {
                if (e.key === 'ArrowDown') setAt(Math.min(at + 1, found.length - 1))
                if (e.key === 'ArrowUp') setAt(Math.max(at - 1, 0))
                if (e.key === 'Escape') close()
                if (e.key === 'Enter' && found[at]) go(found[at])
              }}
            />
          </Box>
          <Box maxH="420px" overflowY="auto" py="1" role="listbox" aria-label="Sources">
            {found.length === 0 && (
              <Text px="3" color="faint">
                No source has “{words}” in its name, kind, address or state.
              </Text>
            )}
            {found.map((s, i) => {
              const state = stateOf(s)
              const kind = products[s.kind] ?? s.kind
              return (
                <Box key={s.name}>
                  {(i === 0 || found[i - 1]!.kind !== s.kind) && (
                    <Text px="3" pt="1" fontSize="11px" color="faint">
                      {kind}
                    </Text>
                  )}
                  <chakra.button type="button" role="option" aria-selected={i === at} display="flex" w="100%" h="24px" px="3" alignItems="center" gap="1.5" bg={i === at ? 'sea' : undefined} ref={i === at ? (e: HTMLElement | null) => e?.scrollIntoView({ block: 'nearest' }) : undefined} onMouseEnter={() => setAt(i)} onClick={() => go(s)}>
                    <Box w="9px" h="9px" borderRadius="2px" flexShrink={0} style={{ background: hueOf(s.name, names) }} />
                    <Text fontWeight={s === source ? '600' : undefined} whiteSpace="nowrap" title={s.name}>
                      {middle(s.name, 24)}
                    </Text>
                    <Text flex="1" minW="0" truncate textAlign="left" fontSize="11px" color="faint" title={s.address}>
                      {s.address}
                    </Text>
                    {state && (
                      <Text fontSize="11px" color={state.tone} whiteSpace="nowrap">
                        {state.word}
                      </Text>
                    )}
                  </chakra.button>
                </Box>
              )
            })}
          </Box>
        </Box>
      )}
    </Box>
  )
}
