import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { Plus, RefreshCw } from 'lucide-react'
import { useState } from 'react'
import { Link, useNavigate, useParams } from 'react-router'
import { api, type Catalog, type SourceInfo } from '../api/client'
import { renewed } from '../lib/views'
import { middle } from '../lib/text'
import { Differences } from './Differences'
import { Limits } from './Limits'
import { Quirks } from './Quirks'
import { SourcePicker } from './SourcePicker'
import { Steps } from './Steps'
import { localName, TableList } from './TableList'
import { TableSheet } from './TableSheet'
import { Health, History, Sent } from './Watching'
import { ErrorLine, small } from '../shell/parts'

const short = { whiteSpace: 'nowrap', overflow: 'hidden', textOverflow: 'ellipsis', minW: '0' } as const

/** What is connected: tables with types and keys, and how each source behaves. */
export function SourcesPage({ catalog }: { catalog: Catalog }) {
  const params = useParams()
  const source = catalog.sources.find((s) => s.name === params.source) ?? catalog.sources[0]
  if (!source)
    return (
      <Text p="6" color="faint">
        No source is connected yet.{' '}
        <Link to="/connect">
          <chakra.span color="tide" textDecoration="underline">
            Connect one
          </chakra.span>
        </Link>
        .
      </Text>
    )
  const tables = (source.found?.tables ?? []).filter((t) => !source.hidden.includes(localName(t)))
  const table = tables.find((t) => t.name === params.table) ?? tables[0]
  return (
    <Flex direction="column" h="100%">
      <Flex h="44px" px="3" align="center" gap="3" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Box flex="1" minW="0">
          <SourcePicker sources={catalog.sources} source={source} />
        </Box>
        <Link to="/connect" style={{ flexShrink: 0 }}>
          <Flex align="center" gap="1" px="2" h="28px" borderRadius="4px" border="1px dashed" borderColor="line" color="tide" whiteSpace="nowrap" _hover={{ bg: 'sea' }}>
            <Plus size={13} /> Connect a source
          </Flex>
        </Link>
      </Flex>
      <Head key={source.name} source={source} />
      <Flex flex="1" minH="0">
        <TableList key={source.name} source={source} table={table} />
        <Box flex="1" minW="0" overflow="auto">
          {table ? <TableSheet key={source.name + table.schema + table.name} source={source} catalog={catalog} table={table} shaped={['json', 'xml', 'document'].includes(source.kind)} retypable={source.kind === 'csv'} /> : <Text p="4" color="faint">No tables that this user may read.</Text>}
        </Box>
        <Quirks source={source} />
      </Flex>
    </Flex>
  )
}

function Head({ source }: { source: SourceInfo }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const again = () => renewed(queries)
  const refresh = useMutation({ mutationFn: () => api.refreshSource(source.name), onSuccess: again })
  // What differs is shown before it counts; where nothing does, the sizes and statistics are taken at once.
  const compare = useMutation({
    mutationFn: () => api.compareSource(source.name),
    onSuccess: (d) => {
      if (d.changes.length === 0) refresh.mutate()
    },
  })
  const differs = compare.data && compare.data.changes.length > 0 ? compare.data : null
  const steps = useMutation({ mutationFn: () => api.tryKept(source.name) })
  const check = useMutation({ mutationFn: () => api.checkSource(source.name), onSuccess: again })
  const [shown, setShown] = useState<'history' | 'sent' | 'limits' | null>(null)
  const remove = useMutation({
    mutationFn: (force: boolean) => api.removeSource(source.name, force),
    onSuccess: async () => {
      await again()
      void navigate('/sources')
    },
  })
  return (
    <Box px="3" py="1.5" bg="rail" borderBottom="1px solid" borderColor="line" fontSize="12px">
      {(refresh.data?.changes ?? []).map((c) => (
        <Text key={c.name} color="narrowed" role="status">
          Measured again: {c.name} was {c.was} and is {c.is}; verdicts follow.
        </Text>
      ))}
      <Flex align="center" gap="3">
        <Text {...short} title={source.address}>
          {middle(source.address, 40)}
        </Text>
        <Text {...short} color="faint" title={source.found?.version}>
          {source.found ? source.found.version && `version ${source.found.version.split(/[ -]/)[0]}` : 'never reached'}
        </Text>
        {source.foundAt && (
          <Text {...short} color="faint">
            read {new Date(source.foundAt).toLocaleString([], { dateStyle: 'short', timeStyle: 'short' })}
          </Text>
        )}
        <Flex ml="auto" gap="1.5" flexShrink={0}>
          <Button {...small} loading={steps.isPending} title="Test the connection, step by step" onClick={() => (steps.data ? steps.reset() : steps.mutate())}>
            {steps.data ? 'Hide steps' : 'Test'}
          </Button>
          <Button {...small} loading={compare.isPending || refresh.isPending} title="Read its catalogue and measure its quirks again" onClick={() => compare.mutate()}>
            <RefreshCw size={11} /> Refresh
          </Button>
          <Button {...small} loading={check.isPending} title="Compare it with what is known of it, accepting nothing" onClick={() => check.mutate()}>
            Check
          </Button>
          <Button {...small} aria-pressed={shown === 'history'} title="What was found of it over time" onClick={() => setShown(shown === 'history' ? null : 'history')}>
            History
          </Button>
          <Button {...small} aria-pressed={shown === 'sent'} title="The statements sent to this source recently" onClick={() => setShown(shown === 'sent' ? null : 'sent')}>
            Statements
          </Button>
          {source.limits && (
            <Button {...small} aria-pressed={shown === 'limits'} title={`${source.limits.connections} connections at most, ${source.limits.silence} s without an answer`} onClick={() => setShown(shown === 'limits' ? null : 'limits')}>
              Limits
            </Button>
          )}
          <Button {...small} color="kept" loading={remove.isPending} title="Forget the source and its password; nothing in it changes" onClick={() => remove.mutate(false)}>
            Remove
          </Button>
        </Flex>
      </Flex>
      <Health source={source} />
      {source.note && <Text color="narrowed">{source.note}</Text>}
      {check.isError && <ErrorLine of={check.error} />}
      {shown === 'history' && <History key={source.health?.at} source={source.name} />}
      {shown === 'limits' && <Limits source={source} onSaved={() => setShown(null)} />}
      {shown === 'sent' && <Sent source={source.name} />}
      {refresh.isSuccess && <Text color="folded">It answers; the catalogue is fresh.</Text>}
      {refresh.isError && <ErrorLine of={refresh.error} />}
      {compare.isError && <ErrorLine of={compare.error} />}
      {differs && !refresh.isSuccess && (
        <Box bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" px="2" py="1" my="1">
          <Flex align="baseline" gap="2">
            <Text fontFamily="heading" fontWeight="600" fontSize="13px">
              The source has changed
            </Text>
            <Text color={differs.broken.length > 0 ? 'kept' : 'faint'}>{differs.broken.length > 0 ? `${differs.broken.length} ${differs.broken.length === 1 ? 'view breaks' : 'views break'} once it is accepted` : 'no view breaks'}</Text>
            <Button {...small} ml="auto" loading={refresh.isPending} onClick={() => refresh.mutate()}>
              Accept
            </Button>
            <Button {...small} onClick={() => compare.reset()}>
              Later
            </Button>
          </Flex>
          <Differences report={differs} />
        </Box>
      )}
      {steps.isError && <ErrorLine of={steps.error} />}
      {steps.data && (
        <Box bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" px="2" my="1">
          <Steps kind={source.kind} steps={steps.data} />
        </Box>
      )}
      {remove.isError && (
        <Flex gap="3" align="baseline">
          <ErrorLine of={remove.error} />
          <Button {...small} color="kept" onClick={() => remove.mutate(true)}>
            Remove anyway
          </Button>
          <Button {...small} onClick={() => remove.reset()}>
            Cancel
          </Button>
        </Flex>
      )}
    </Box>
  )
}
