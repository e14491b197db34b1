import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { diffLines } from 'diff'
import { useMemo, useState } from 'react'
import { Link, useParams } from 'react-router'
import { Title } from '../shell/Title'
import { api, type Catalog, type Report, type Revision } from '../api/client'
import { renewed } from '../lib/views'
import { count } from '../lib/text'
import { ErrorLine, small } from '../shell/parts'

/** The texts that a view had; two of them beside each other, with their columns and what their sources would do. */
export function RevisionsPage({ catalog }: { catalog: Catalog }) {
  const { layer = '', name = '' } = useParams()
  const view = catalog.views.find((v) => v.layer === layer && v.name === name)
  const { data, error } = useQuery({ queryKey: ['revisions', layer, name, view?.revision], queryFn: () => api.revisions(`${layer}.${name}`), staleTime: 0, retry: false })
  const [older, setOlder] = useState<number | null>(null)
  const [newer, setNewer] = useState<number | null>(null)
  const b = data?.find((r) => r.number === newer) ?? data?.[0]
  const a = data?.find((r) => r.number === older) ?? data?.find((r) => b && r.number < b.number) ?? b
  return (
    <Flex direction="column" h="100%">
      <Flex align="center" gap="3" h="44px" px="3" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Title>
          <Link to={`/view/${layer}/${name}`}>
            <Box as="span" color="faint" fontWeight="400">
              {layer}.{name}
            </Box>
          </Link>{' '}
          revisions
        </Title>
      </Flex>
      {error && (
        <ErrorLine of={error} p="4" />
      )}
      <Flex flex="1" minH="0">
        <Box w="300px" flexShrink={0} borderRight="1px solid" borderColor="line" overflowY="auto" data-testid="revisions">
          {(data ?? []).map((r) => (
            <Flex key={r.number} px="3" py="1" gap="2" borderBottom="1px solid" borderColor="line" fontSize="12px" align="baseline" bg={r === b ? 'sheet' : undefined}>
              <chakra.input type="radio" name="older" aria-label={`Compare from revision ${r.number}`} title="from this one" accentColor="var(--chakra-colors-faint)" checked={r === a} onChange={() => setOlder(r.number)} />
              <chakra.input type="radio" name="newer" aria-label={`Compare to revision ${r.number}`} title="to this one" accentColor="var(--chakra-colors-tide)" checked={r === b} onChange={() => setNewer(r.number)} />
              <Box minW="0">
                <Text>
                  {r.number}. {r.message || <chakra.span color="faint">no message</chakra.span>}
                </Text>
                <Text color="faint" fontSize="11px">
                  {new Date(r.savedAt).toLocaleString()}
                  {r.number === view?.revision && ' – as it is now'}
                </Text>
              </Box>
            </Flex>
          ))}
        </Box>
        {a && b && view && <Compared a={a} b={b} layer={layer} name={name} now={view.revision} />}
      </Flex>
    </Flex>
  )
}

function Compared({ a, b, layer, name, now }: { a: Revision; b: Revision; layer: string; name: string; now: number }) {
  const queries = useQueryClient()
  const restore = useMutation({
    mutationFn: () => api.saveView({ layer, name, sql: a.sql, description: a.description, replace: true, base: now, message: `As revision ${a.number} was` }),
    onSuccess: () => renewed(queries),
  })
  const lines = useMemo(() => diffLines(a.sql, b.sql, { ignoreNewlineAtEof: true }), [a, b])
  const was = useReport(a, layer, name)
  const is = useReport(b, layer, name)
  return (
    <Box flex="1" minW="0" overflow="auto" p="3">
      <Flex align="baseline" gap="3" mb="1">
        <Text fontFamily="heading" fontWeight="600">
          {a === b ? `Revision ${a.number}` : `From revision ${a.number} to ${b.number}`}
        </Text>
        {a.number !== now && (
          <Button ml="auto" {...small} loading={restore.isPending} title="Save that text again, as a revision of its own" onClick={() => restore.mutate()}>
            Restore revision {a.number}
          </Button>
        )}
      </Flex>
      {restore.isError && (
        <ErrorLine of={restore.error} />
      )}
      <Box as="pre" fontFamily="mono" fontSize="12px" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" p="2" m="0" whiteSpace="pre-wrap" data-testid="text-difference">
        {lines.map((part, i) => (
          <chakra.span key={i} display="block" bg={part.added ? 'deep' : part.removed ? 'lit' : undefined} textDecoration={part.removed ? 'line-through' : undefined}>
            {part.value.replace(/\n$/, '')}
          </chakra.span>
        ))}
      </Box>
      <Flex gap="3" mt="3">
        <Side revision={a} report={was} other={is} />
        {a !== b && <Side revision={b} report={is} other={was} />}
      </Flex>
    </Box>
  )
}

interface Explained {
  report?: Report
  error?: string
}

function useReport(r: Revision, layer: string, name: string): Explained {
  const { data, error } = useQuery({ queryKey: ['explain', layer, name, r.number], queryFn: ({ signal }) => api.explain({ sql: r.sql, foldOff: false, layer, view: name }, signal), retry: false })
  return { report: data, error: error?.message }
}

/** What a revision gives and what its sources do for it; what the other does not have alike stands out. */
function Side({ revision, report, other }: { revision: Revision; report: Explained; other: Explained }) {
  const columns = (r?: Report) => (r?.columns ?? []).map((c) => `${c.name} ${c.type}`)
  const pieces = (r?: Report) => (r?.pieces ?? []).filter((p) => p.view === '').map((p) => `${p.verdict}: ${p.text}`)
  const theirs = new Set([...columns(other.report), ...pieces(other.report)])
  const crossing = (report.report?.statements ?? []).reduce((n, s) => n + s.estimatedRows, 0)
  const line = (text: string) => (
    <Text key={text} fontSize="12px" bg={other.report && !theirs.has(text) ? 'lit' : undefined}>
      {text}
    </Text>
  )
  return (
    <Box flex="1" minW="0" data-testid={`revision-${revision.number}`}>
      <Text fontFamily="heading" fontWeight="600">
        Revision {revision.number}
      </Text>
      {report.error && <Text color="kept">It does not bind any more: {report.error}</Text>}
      {report.report && (
        <>
          <Text color="faint" fontSize="12px">
            {report.report.columns.length} columns, about {count(crossing)} rows cross in {report.report.statements.length} {report.report.statements.length === 1 ? 'statement' : 'statements'}
          </Text>
          <Box mt="1">{columns(report.report).map(line)}</Box>
          <Box mt="2">{pieces(report.report).map(line)}</Box>
        </>
      )}
    </Box>
  )
}
