import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api } from '../api/client'
import { columnTypes } from '../sources/shapes'

const select = { h: '22px', px: '0.5', bg: 'sheet', border: '1px solid', borderColor: 'line', borderRadius: '4px', fontSize: '12px' } as const

/** What would break if what is looked at went, were renamed, or had another type. */
export function ImpactStrip({ name, column }: { name: string; column: boolean }) {
  const [change, setChange] = useState('gone')
  const [type, setType] = useState('text')
  const [open, setOpen] = useState(false)
  const { data, error, isFetching } = useQuery({ queryKey: ['impact', name, change, type], queryFn: ({ signal }) => api.impact(name, change, change === 'type' ? type : '', signal), staleTime: 0, retry: false })
  return (
    <Box px="3" py="1" bg="rail" borderBottom="1px solid" borderColor="line" fontSize="12px" data-testid="impact">
      <Flex align="center" gap="1.5" h="24px">
        <Text>If it</Text>
        <chakra.select {...select} aria-label="What becomes of it" value={change} onChange={(e) => setChange(e.target.value)}>
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
            <Text color="faint">
              {data.views.length} {data.views.length === 1 ? 'view depends' : 'views depend'} on it
            </Text>
            {data.broken.length > 0 && (
              <chakra.button type="button" color="tide" aria-expanded={open} onClick={() => setOpen(!open)}>
                {open ? 'Hide them' : 'Which'}
              </chakra.button>
            )}
          </>
        )}
        {error && <Text color="kept">{error.message}</Text>}
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
        </Box>
      )}
    </Box>
  )
}
