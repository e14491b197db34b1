import { Box, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { useNavigate } from 'react-router'
import { api, type Match } from '../api/client'
import { useOffered } from '../lib/commands'
import { ErrorLine } from './parts'

interface Found {
  to: string
  title: string
  what: string
  around: string
  run?: () => void
}

const places: Found[] = [
  { to: '/query', title: 'New query', what: 'page', around: '' },
  { to: '/connect', title: 'Connect a source', what: 'page', around: '' },
  { to: '/runs', title: 'Runs', what: 'page', around: '' },
  { to: '/sources', title: 'Sources', what: 'page', around: '' },
  { to: '/layers', title: 'Layers', what: 'page', around: '' },
]

/** Finds views and tables by any words of theirs, and what the page can do: Ctrl+K opens it from anywhere. */
export function Finder() {
  const [open, setOpen] = useState(false)
  useEffect(() => {
    const key = (e: KeyboardEvent) => {
      if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === 'k') {
        e.preventDefault()
        setOpen((o) => !o)
      }
    }
    window.addEventListener('keydown', key)
    return () => window.removeEventListener('keydown', key)
  }, [])
  if (!open) return null
  return <Sheet onClose={() => setOpen(false)} />
}

function Sheet({ onClose }: { onClose: () => void }) {
  const [words, setWords] = useState('')
  const [at, setAt] = useState(0)
  const navigate = useNavigate()
  const queries = useQueryClient()
  const { data, error, isPlaceholderData } = useQuery({ queryKey: ['search', words], queryFn: ({ signal }) => api.search(words, signal), enabled: words.trim() !== '', placeholderData: keepPreviousData, staleTime: 0, retry: false })
  const typed = words.trim().toLowerCase()
  const commands = useOffered()
  const listOf = (matches: Match[]): Found[] => [
    ...(typed ? matches : []).map((m) => ({ to: m.what === 'view' ? `/view/${m.name.replace('.', '/')}` : `/sources/${m.name.split('.')[0]}/${m.name.split('.').pop()}`, title: m.name, what: m.what, around: m.around })),
    ...commands.map((c) => ({ to: `do ${c.title}`, title: c.title, what: c.keys ?? 'here', around: '', run: c.run })).filter((c) => c.title.toLowerCase().includes(typed)),
    ...places.filter((p) => p.title.toLowerCase().includes(typed)),
  ]
  const found = listOf(data ?? [])
  const go = (f: Found, lineage = false) => {
    onClose()
    if (f.run) f.run()
    else void navigate(lineage && f.what === 'view' ? `/lineage/${f.title}` : f.to)
  }
  // What is shown may be of fewer words still: it goes to the first of those that are typed.
  const enter = async (lineage: boolean) => {
    const waits = typed !== '' && (isPlaceholderData || (!data && !error))
    const list = waits ? listOf(await queries.fetchQuery({ queryKey: ['search', words], queryFn: ({ signal }) => api.search(words, signal) }).catch(() => [])) : found
    if (list[at]) go(list[at], lineage)
  }
  return (
    <Box position="fixed" inset="0" zIndex="10" onMouseDown={onClose}>
      <Box position="absolute" top="8px" left="8px" w="560px" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" boxShadow="0 6px 24px rgba(20, 30, 40, 0.25)" data-testid="finder" onMouseDown={(e) => e.stopPropagation()}>
        <Input
          size="sm"
          border="0"
          autoFocus
          aria-label="Find by any word"
          placeholder="words of a view or table (name, columns, description, SQL), or what to do"
          _placeholder={{ color: 'faint' }}
          autoComplete="off"
          spellCheck={false}
          value={words}
          onChange={(e) => {
            setWords(e.target.value)
            setAt(0)
          }}
          onKeyDown={(e) => {
            if (e.key === 'Escape') onClose()
            if (e.key === 'Enter') {
              e.preventDefault() // it is the list's, with Ctrl too
              void enter(e.altKey)
            }
            if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
              e.preventDefault()
              setAt(Math.max(0, Math.min(found.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1))))
            }
          }}
        />
        <Box maxH="420px" overflowY="auto" borderTop="1px solid" borderColor="line">
          {error && <ErrorLine of={error} p="2" />}
          {found.map((f, i) => (
            <chakra.button key={f.to} type="button" display="block" w="100%" textAlign="left" px="3" py="1" bg={i === at ? 'sea' : undefined} ref={i === at ? (e: HTMLElement | null) => e?.scrollIntoView({ block: 'nearest' }) : undefined} onMouseEnter={() => setAt(i)} onClick={() => go(f)}>
              <Flex gap="2" align="baseline">
                <Text>{f.title}</Text>
                <Text fontSize="11px" color="faint">
                  {f.what}
                </Text>
              </Flex>
              {f.around && <Around text={f.around} />}
            </chakra.button>
          ))}
          {typed !== '' && found.length === 0 && data && (
            <Text px="3" py="2" color="faint">
              Nothing has all these words.
            </Text>
          )}
        </Box>
        <Text px="3" py="1" fontSize="11px" color="faint" borderTop="1px solid" borderColor="line">
          Enter opens it, Alt+Enter opens a view&apos;s lineage, Escape closes
        </Text>
      </Box>
    </Box>
  )
}

/** Where the words stand, each made to stand out. */
function Around({ text }: { text: string }) {
  return (
    <Text fontSize="11px" color="faint" truncate>
      {text
        .replace(/\s+/g, ' ')
        .split('\u0002')
        .map((part, i) => {
          const [lit, rest] = i === 0 ? ['', part] : part.split('\u0003')
          return (
            <span key={i}>
              {lit && <chakra.mark bg="lit" color="ink">{lit}</chakra.mark>}
              {rest}
            </span>
          )
        })}
    </Text>
  )
}
