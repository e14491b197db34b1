import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { api, type FormBlock, type JoinSuggestion } from '../api/client'
import { middle } from '../lib/text'
import { hueOf } from '../theme'
import { select, small, tiny } from './parts'
import { addRelation, relationsLike, type Relation } from './relations'
import { percent, Shares } from './Shares'
import type { Builder } from './useBuilder'
import { Verbatim } from './Verbatim'
import { ErrorLine } from '../shell/parts'

interface Props {
  builder: Builder
  block: FormBlock | null // null where there is nothing yet
  at: number
  relations: Relation[]
  sources: string[]
}

/** Adds tables and views: typed, dragged, or picked in the tree; each with the joins that suggest themselves. */
export function AddInput({ builder, block, at, relations, sources }: Props) {
  const [typed, setTyped] = useState('')
  const [marked, setMarked] = useState(0)
  const [waiting, setWaiting] = useState<string[]>([])
  const [over, setOver] = useState(false)
  const [writing, setWriting] = useState(false)
  const known = new Set(relations.map((r) => r.name))
  const take = (name: string) => {
    setTyped('')
    setMarked(0)
    if (block) setWaiting((w) => [...w, name])
    else void builder.edit({ do: 'add input', name })
  }
  useEffect(() => {
    const offered = (e: Event) => {
      const name = (e as CustomEvent<string>).detail
      if (known.has(name)) take(name)
    }
    window.addEventListener(addRelation, offered)
    return () => window.removeEventListener(addRelation, offered)
  })
  const matching = relationsLike(relations, typed)
  const found = matching.slice(0, 8)
  const name = waiting[0]
  return (
    <Box
      borderRadius="3px"
      bg={over ? 'sea' : undefined}
      data-testid="add-input"
      onDragOver={(e) => {
        e.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault()
        setOver(false)
        const dropped = e.dataTransfer.getData('text/plain')
        if (known.has(dropped)) take(dropped)
      }}
    >
      <Flex align="center" gap="1.5">
        <Text w="14px" color="faint" textAlign="right" flexShrink={0}>
          +
        </Text>
        <Input
          size="2xs"
          h="22px"
          bg="sheet"
          borderColor="line"
          fontFamily="mono"
          fontSize="12px"
          aria-label="Add a table or view"
          placeholder={block ? 'add a table or view: type, drag it here, or Ctrl+click in the tree' : 'start with a table or view'}
          _placeholder={{ color: 'faint', fontFamily: 'body' }}
          value={typed}
          onChange={(e) => {
            setTyped(e.target.value)
            setMarked(0)
          }}
          onKeyDown={(e) => {
            if (e.key === 'ArrowDown') setMarked(Math.min(marked + 1, found.length - 1))
            if (e.key === 'ArrowUp') setMarked(Math.max(marked - 1, 0))
            if (e.key === 'Escape') setTyped('')
            if (e.key === 'Enter' && found[marked]) take(found[marked].name)
          }}
        />
        <Button {...tiny} color="tide" aria-expanded={writing} title="A statement in a source's own language" onClick={() => setWriting(!writing)}>
          verbatim…
        </Button>
      </Flex>
      {writing && (
        <Verbatim
          onTake={(name) => {
            setWriting(false)
            take(name)
          }}
          onClose={() => setWriting(false)}
        />
      )}
      {typed.trim() && found.length === 0 && (
        <Text ml="20px" fontSize="12px" color="kept" role="alert">
          No table or view that this text may read has “{typed.trim()}” in its name.
        </Text>
      )}
      {found.length > 0 && (
        <Box ml="20px" border="1px solid" borderColor="line" bg="sheet" data-testid="found-relations">
          {found.map((r, i) => (
            <Flex as="button" key={r.name} w="100%" px="2" h="20px" align="center" gap="1.5" bg={i === marked ? 'sea' : undefined} onMouseEnter={() => setMarked(i)} onClick={() => take(r.name)}>
              {r.source ? <Box w="8px" h="8px" borderRadius="2px" style={{ background: hueOf(r.source, sources) }} /> : <Text color="faint">≡</Text>}
              <Text fontFamily="mono" fontSize="12px">
                {r.name}
              </Text>
              <Text ml="auto" color="faint" fontSize="11px">
                {r.what}, {r.count} columns
              </Text>
            </Flex>
          ))}
          {matching.length > found.length && (
            <Text px="2" fontSize="11px" color="faint">
              {matching.length - found.length} more; type more of the name
            </Text>
          )}
        </Box>
      )}
      {block && name && <JoinPanel key={name} builder={builder} block={block} at={at} name={name} more={waiting.length - 1} onDone={() => setWaiting((w) => w.slice(1))} />}
    </Box>
  )
}

/** How a relation may be joined: what keys and names suggest, measured one by one. */
function JoinPanel({ builder, block, at, name, more, onDone }: { builder: Builder; block: FormBlock; at: number; name: string; more: number; onDone: () => void }) {
  const { sql, layer = '', view = '' } = builder.query
  const [kind, setKind] = useState('inner')
  const suggested = useQuery({ queryKey: ['joins', sql, layer, view, at, name], queryFn: ({ signal }) => api.suggestJoins({ sql, layer, view, block: at, name }, signal), staleTime: 60_000, retry: false })
  const add = async (texts: string[], how = kind) => {
    if (await builder.edit({ do: 'add input', block: at, name, kind: how, texts })) onDone()
  }
  return (
    <Box ml="20px" mt="1" p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" data-testid="join-panel" onKeyDown={(e) => e.key === 'Escape' && onDone()}>
      <Flex align="center" gap="2" mb="1" fontSize="12px">
        <Text>
          Join{' '}
          <Box as="span" fontFamily="mono" title={name}>
            {middle(name.replace(/\s+/g, ' '), 28)}
          </Box>
        </Text>
        <chakra.select {...select} flex="1" minW="0" maxW="220px" aria-label="How it is to join" value={kind} onChange={(e) => setKind(e.target.value)}>
          <option value="inner">inner join: matching rows</option>
          <option value="left">left join: all rows before, and what matches</option>
          <option value="full">full join: all rows of both</option>
        </chakra.select>
        {more > 0 && <Text color="faint">{more} more after it</Text>}
        <Button {...tiny} ml="auto" onClick={onDone}>
          Cancel
        </Button>
      </Flex>
      {suggested.isPending && <Text color="faint">Looking for keys, alike names, and values that meet…</Text>}
      {suggested.isError && <ErrorLine of={suggested.error} />}
      {suggested.data?.length === 0 && (
        <Text color="faint" fontSize="12px">
          No key leads there, no names are alike, and no values meet. Write the condition once it is joined.
        </Text>
      )}
      {(suggested.data ?? []).map((s, i) => (
        <Suggestion key={i} builder={builder} block={block} at={at} name={name} suggestion={s} first={i < 2} onTake={add} />
      ))}
      <Flex gap="2" mt="1">
        <Button {...tiny} color="tide" onClick={() => add(['true'])}>
          Write the condition myself
        </Button>
        <Button {...tiny} color="tide" onClick={() => add([], 'cross')}>
          Cross join
        </Button>
      </Flex>
    </Box>
  )
}

const around = (fix: string, x: string) => fix.replace('x', x)

function Suggestion({ builder, block, at, name, suggestion: s, first, onTake }: { builder: Builder; block: FormBlock; at: number; name: string; suggestion: JoinSuggestion; first: boolean; onTake: (texts: string[]) => Promise<void> }) {
  const { sql, layer = '', view = '' } = builder.query
  const [asked, setAsked] = useState(first)
  const one = s.left.length === 1 && ['relation', 'verbatim'].includes(block.inputs[s.input]?.kind ?? '')
  const measured = useQuery({
    queryKey: ['meets', sql, layer, view, at, name, s.input, s.left[0], s.right[0]],
    queryFn: ({ signal }) => api.measureJoin({ sql, layer, view, block: at, left: s.left[0]!, name, right: s.right[0]! }, signal),
    enabled: asked && one,
    staleTime: 300_000,
    retry: false,
  })
  const last = name.startsWith('verbatim(') ? 'it' : name.split('.').pop()!
  const show = (x: string) => x.replaceAll('{new}', last)
  const conditions = s.left.map((l, i) => `${l} = ${s.right[i]}`)
  const m = measured.data
  const best = m?.fixes[0]
  return (
    <Box borderTop="1px solid" borderColor="line" py="1" fontSize="12px" data-testid="suggestion">
      <Flex align="center" gap="2">
        <Text fontFamily="mono" fontSize="12px" flex="1" minW="0" wordBreak="break-word" lineHeight="1.3" title={s.why}>
          {show(conditions.join(' AND '))}
        </Text>
        <Text color={s.from === 'names' || s.from === 'values' ? 'faint' : 'folded'} fontSize="11px" whiteSpace="nowrap" title={s.why}>
          by {s.from === 'names' ? 'its name' : s.from === 'values' ? 'its values' : `a ${s.from}`}
        </Text>
        <Button {...small} onClick={() => void onTake(conditions)}>
          Join
        </Button>
      </Flex>
      {s.types && (
        <Text color="narrowed" fontSize="11px">
          {s.types}
        </Text>
      )}
      {one && !asked && (
        <Button {...tiny} color="tide" px="0" onClick={() => setAsked(true)}>
          Measure how many values meet
        </Button>
      )}
      {measured.isFetching && (
        <Text color="faint" fontSize="11px">
          Counting values in their sources…
        </Text>
      )}
      {measured.isError && (
        <ErrorLine of={measured.error} fontSize="11px" />
      )}
      {m && <Shares measure={m} />}
      {best && (
        <Box mt="0.5">
          {m.fixes.slice(0, 2).map((f) => (
            <Flex key={f.title} align="center" gap="2" fontSize="11px" data-testid="fix">
              <Text flex="1" color="narrowed" title={`${f.example} meet then`}>
                {f.title}, as {f.example}: {percent(m.left)} → {percent(f.leftMeets)}
              </Text>
              <Button {...small} color="folded" title={`${around(f.left, s.left[0]!)} = ${show(around(f.right, s.right[0]!))}`} onClick={() => void onTake([`${around(f.left, s.left[0]!)} = ${around(f.right, s.right[0]!)}`])}>
                Join with the fix
              </Button>
            </Flex>
          ))}
        </Box>
      )}
    </Box>
  )
}
