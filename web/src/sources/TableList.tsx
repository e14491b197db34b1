import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, ApiError, type SourceInfo, type Table } from '../api/client'
import { renewed } from '../lib/views'
import { count, middle } from '../lib/text'
import { ErrorLine, small } from '../shell/parts'

export const localName = (t: Table) => (t.schema ? `${t.schema}.${t.name}` : t.name)


/** The tables of a source; those that queries can name are chosen here. */
export function TableList({ source, table }: { source: SourceInfo; table?: Table }) {
  const [filter, setFilter] = useState('')
  const [ticked, setTicked] = useState<Set<string> | null>(null) // while choosing
  const queries = useQueryClient()
  const hide = useMutation({
    mutationFn: (force: boolean) => api.hideTables(source.name, all.map(localName).filter((n) => !ticked?.has(n)), force),
    onSuccess: async () => {
      await renewed(queries)
      setTicked(null)
    },
  })
  const all = source.found?.tables ?? []
  const shown = all.filter((t) => (ticked || !source.hidden.includes(localName(t))) && localName(t).toLowerCase().includes(filter.toLowerCase()))
  const choose = () => {
    hide.reset()
    setTicked(ticked ? null : new Set(all.map(localName).filter((n) => !source.hidden.includes(n))))
  }
  const tick = (names: string[], on: boolean) => {
    const next = new Set(ticked)
    for (const n of names) {
      if (on) next.add(n)
      else next.delete(n)
    }
    setTicked(next)
  }
  const problem = hide.error instanceof ApiError ? hide.error.problem : null
  return (
    <Flex direction="column" w="204px" flexShrink={0} borderRight="1px solid" borderColor="line">
      <Flex gap="1" p="1.5" borderBottom="1px solid" borderColor="line">
        <Input size="2xs" bg="sheet" aria-label="Find a table" placeholder="find a table" _placeholder={{ color: 'faint' }} value={filter} onChange={(e) => setFilter(e.target.value)} />
        <Button {...small} aria-pressed={ticked !== null} title="Choose which tables queries can name" onClick={choose}>
          {ticked ? 'Cancel' : 'Choose'}
        </Button>
      </Flex>
      <Box flex="1" minH="0" overflowY="auto" py="1" data-testid="tables">
        {shown.map((t) => {
          const name = localName(t)
          const row = (
            <Flex px="3" h="24px" align="center" gap="1.5" bg={t === table ? 'sheet' : undefined} _hover={{ bg: 'sheet' }} title={name}>
              {ticked && <chakra.input type="checkbox" accentColor="var(--chakra-colors-tide)" aria-label={name} checked={ticked.has(name)} onChange={(e) => tick([name], e.target.checked)} />}
              <Text flex="1" minW="0" truncate color={ticked && !ticked.has(name) ? 'faint' : 'ink'}>
                {middle(t.name, 20)}
              </Text>
              <Text fontSize="12px" color="faint" fontVariantNumeric="tabular-nums">
                {count(t.rows)}
              </Text>
            </Flex>
          )
          return ticked ? (
            <chakra.label key={name} display="block" cursor="pointer">
              {row}
            </chakra.label>
          ) : (
            <Link key={name} to={`/sources/${source.name}/${t.name}`}>
              {row}
            </Link>
          )
        })}
        {shown.length === 0 && (
          <Text px="3" py="1" fontSize="12px" color="faint">
            {filter ? 'nothing by that name' : 'no tables'}
          </Text>
        )}
        {!ticked && source.hidden.length > 0 && (
          <Text px="3" py="1" fontSize="12px" color="faint">
            {source.hidden.length} not exposed
          </Text>
        )}
      </Box>
      {ticked && (
        <Box p="1.5" borderTop="1px solid" borderColor="line" fontSize="12px">
          <Flex gap="1" align="center" mb="1">
            <Button {...small} onClick={() => tick(shown.map(localName), true)}>
              All
            </Button>
            <Button {...small} onClick={() => tick(shown.map(localName), false)}>
              None
            </Button>
            <Text ml="auto" color="faint" fontVariantNumeric="tabular-nums">
              {ticked.size} of {all.length}
            </Text>
          </Flex>
          <Button size="2xs" w="100%" bg="tide" color="paper" loading={hide.isPending} onClick={() => hide.mutate(false)}>
            Expose {ticked.size === all.length ? 'all' : `these ${ticked.size}`}
          </Button>
          {hide.isError && (
            <Box mt="1">
              <ErrorLine of={hide.error} />
              {problem?.code === '2BP01' && (
                <Button {...small} mt="1" color="kept" onClick={() => hide.mutate(true)}>
                  Hide anyway
                </Button>
              )}
            </Box>
          )}
        </Box>
      )}
    </Flex>
  )
}
