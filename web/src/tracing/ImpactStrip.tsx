import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, type Change, type Impact } from '../api/client'
import { columnTypes } from '../sources/shapes'
import { ErrorLine } from '../shell/parts'

const select = { h: '22px', px: '0.5', bg: 'sheet', border: '1px solid', borderColor: 'line', borderRadius: '4px', fontSize: '12px' } as const

/** What would break if what is looked at went, were renamed, or had another type. */
export function ImpactStrip({ name, column }: { name: string; column: boolean }) {
  const [change, setChange] = useState<Change>('gone')
  const [type, setType] = useState('text')
  const [open, setOpen] = useState(false)
  const { data, error, isFetching } = useQuery({ queryKey: ['impact', name, change, type], queryFn: ({ signal }) => api.impact(name, change, change === 'type' ? type : '', signal), staleTime: 0, retry: false })
  const said = data ? others(data) : []
  return (
    <Box px="3" py="1" bg="rail" borderBottom="1px solid" borderColor="line" fontSize="12px" data-testid="impact">
      <Flex align="center" gap="1.5" h="24px">
        <Text>If it</Text>
        <chakra.select {...select} aria-label="What becomes of it" value={change} onChange={(e) => setChange(e.target.value as Change)}>
          <option value="gone">went</option>
          {column && <option value="renamed">were renamed</option>}
          {column && <option value="type">had the type</option>}
        </chakra.select>
        {change === 'type' && (
          <chakra.select {...select} aria-label="Type that it would have" value={type} onChange={(e) => setType(e.target.value)}>
            {columnTypes.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </chakra.select>
        )}
        {data && (
          <>
            <Text color={data.broken.length > 0 ? 'kept' : 'folded'} opacity={isFetching ? 0.6 : 1}>
              {data.broken.length === 0 ? 'no view would break' : data.broken.length === 1 ? '1 view would break' : `${data.broken.length} views would break`}
            </Text>
            <Text color="faint" title="By the values of their columns, or by which rows they have. A view over one that breaks is broken too, whatever it uses.">
              {data.views.length} {data.views.length === 1 ? 'view depends' : 'views depend'} on it
            </Text>
            {said.length > 0 && <Text color="faint">{said.join(', ')}</Text>}
            {(data.broken.length > 0 || said.length > 0) && (
              <chakra.button type="button" color="tide" aria-expanded={open} onClick={() => setOpen(!open)}>
                {open ? 'Hide them' : 'Which'}
              </chakra.button>
            )}
          </>
        )}
        {error && <ErrorLine of={error} />}
      </Flex>
      {open && data && (
        <Box maxH="150px" overflowY="auto">
          {data.broken.map((b) => (
            <Flex key={b.view} gap="2">
              <Link to={`/view/${b.view.replace('.', '/')}`}>
                <Text color="tide" whiteSpace="nowrap">
                  {b.view}
                </Text>
              </Link>
              <Text color="faint" truncate title={b.error}>
                {b.error}
              </Text>
            </Flex>
          ))}
          {data.definitions.map((d) => (
            <Text key={d} color="narrowed">
              {d}
            </Text>
          ))}
          {data.revisions.map((r) => (
            <Flex key={`${r.view} ${r.number}`} gap="2">
              <Link to={`/view/${r.view.replace('.', '/')}/revisions`}>
                <Text color="tide" whiteSpace="nowrap">
                  revision {r.number} of {r.view}
                </Text>
              </Link>
              <Text color="faint" truncate title={r.error}>
                {r.error ? `could not be restored: ${r.error}` : 'could still be restored'}
              </Text>
            </Flex>
          ))}
          {data.consumers.map((c) => (
            <Flex key={c.run} gap="2" color="faint">
              <Text whiteSpace="nowrap">
                was run {c.times === 1 ? 'once' : `${c.times} times`}, last {new Date(c.lastAt).toLocaleDateString()}
              </Text>
              <Text fontFamily="mono" truncate title={c.sql}>
                {c.sql.replace(/\s+/g, ' ')}
              </Text>
            </Flex>
          ))}
          {data.cut && <Text color="faint">There are more revisions than were looked at.</Text>}
        </Box>
      )}
    </Box>
  )
}

/** What depends on it besides views. */
function others({ revisions, definitions, consumers }: Impact): string[] {
  const some = (n: number, one: string, many: string) => (n === 0 ? [] : [n === 1 ? `1 ${one}` : `${n} ${many}`])
  return [...some(definitions.length, 'definition', 'definitions'), ...some(revisions.length, 'earlier revision', 'earlier revisions'), ...some(consumers.length, 'query run lately', 'queries run lately')]
}
