import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Title } from '../shell/Title'
import { Link } from 'react-router'
import { api, type Catalog } from '../api/client'
import { renewed } from '../lib/views'
import { RenamePlan } from '../views/RenamePlan'
import { ErrorLine, bare, small } from '../shell/parts'

interface Row {
  was: string
  name: string
  description: string
}

const tiny = { size: '2xs', variant: 'ghost', color: 'faint', minW: '20px', px: '1', _hover: { bg: 'sea', color: 'ink' } } as const

/** The project's layers: their order, names and descriptions. */
export function LayersPage({ catalog }: { catalog: Catalog }) {
  const given: Row[] = catalog.layers.map((l) => ({ was: l.name, name: l.name, description: l.description }))
  // Made anew once the layers are others.
  return <Layers key={JSON.stringify(given)} catalog={catalog} given={given} />
}

function Layers({ catalog, given }: { catalog: Catalog; given: Row[] }) {
  const [rows, setRows] = useState(given)
  const [message, setMessage] = useState('')
  const queries = useQueryClient()
  const changed = JSON.stringify(rows) !== JSON.stringify(given)
  const complete = rows.length > 0 && rows.every((r) => r.name.trim() !== '')
  const plan = useQuery({ queryKey: ['layers', rows], queryFn: ({ signal }) => api.planRename({ layers: rows }, signal), enabled: changed && complete, placeholderData: keepPreviousData, staleTime: 0, retry: false })
  const save = useMutation({
    mutationFn: () => api.rename({ layers: rows, seen: plan.data!.seen, message }),
    onSuccess: () => renewed(queries),
  })
  const set = (i: number, c: Partial<Row>) => setRows(rows.map((r, n) => (n === i ? { ...r, ...c } : r)))
  const move = (i: number, by: number) => {
    const next = [...rows]
    const [row] = next.splice(i, 1)
    next.splice(i + by, 0, row!)
    setRows(next)
  }
  const problem = save.error ?? (changed && !plan.isPlaceholderData ? plan.error : null)
  const views = (layer: string) => catalog.views.filter((v) => v.layer === layer)
  return (
    <Box h="100%" overflowY="auto" p="3" maxW="860px">
      <Flex align="baseline" gap="3" mb="2">
        <Title>
          Layers
        </Title>
        <Text color="faint" fontSize="12px">
          A view reads its own layer or those below it.
        </Text>
        <Button ml="auto" {...small} onClick={() => setRows([...rows, { was: '', name: '', description: '' }])}>
          Add a layer on top
        </Button>
      </Flex>
      <Box border="1px solid" borderColor="line" borderRadius="4px" bg="sheet" data-testid="layers">
        {rows
          .map((r, i) => ({ r, i }))
          .reverse()
          .map(({ r, i }) => (
            <Flex key={i} gap="2" px="2" py="1" align="center" borderBottom={i > 0 ? '1px solid' : undefined} borderColor="line">
              <Button {...tiny} aria-label={`Move ${r.name} up`} disabled={i === rows.length - 1} onClick={() => move(i, 1)}>
                ↑
              </Button>
              <Button {...tiny} aria-label={`Move ${r.name} down`} disabled={i === 0} onClick={() => move(i, -1)}>
                ↓
              </Button>
              <Input size="xs" w="150px" fontFamily="mono" bg="paper" spellCheck={false} aria-label={`Name of layer ${i + 1}`} _placeholder={{ color: 'faint' }} placeholder="name" value={r.name} onChange={(e) => set(i, { name: e.target.value })} />
              <Input size="xs" flex="1" bg="paper" aria-label={`Description of layer ${i + 1}`} _placeholder={{ color: 'faint' }} placeholder="what its views are" value={r.description} onChange={(e) => set(i, { description: e.target.value })} />
              <Text color="faint" fontSize="12px" w="62px" textAlign="right" title={views(r.was).map((v) => v.name).join(', ')}>
                {views(r.was).length} {views(r.was).length === 1 ? 'view' : 'views'}
              </Text>
              <Button {...tiny} aria-label={`Remove ${r.name}`} title={views(r.was).length > 0 ? 'Move its views to another layer first' : 'Remove the layer'} disabled={views(r.was).length > 0} onClick={() => setRows(rows.filter((_, n) => n !== i))}>
                ×
              </Button>
            </Flex>
          ))}
        <Flex px="2" py="1" gap="2" color="faint" fontSize="12px" bg="sea">
          the sources: {catalog.sources.map((s) => s.name).join(', ')}
        </Flex>
      </Box>
      {changed && (
        <Flex
          as="form"
          gap="2"
          mt="2"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault()
            save.mutate()
          }}
        >
          <Input size="xs" flex="1" bg="sheet" aria-label="Why" placeholder="why" _placeholder={{ color: 'faint' }} value={message} onChange={(e) => setMessage(e.target.value)} />
          <Button size="xs" type="submit" bg="tide" color="paper" loading={save.isPending} disabled={!plan.data || plan.isError || plan.isFetching}>
            Change the layers
          </Button>
          <Button {...bare} onClick={() => setRows(given)}>
            Undo all
          </Button>
        </Flex>
      )}
      {problem && (
        <ErrorLine of={problem} mt="1" />
      )}
      {changed && plan.data && !plan.isError && (
        <Box mt="2">
          <RenamePlan plan={plan.data} />
        </Box>
      )}
      {!changed && (
        <Text color="faint" fontSize="12px" mt="2">
          Views change their layer by <Link to={catalog.views[0] ? `/view/${catalog.views[0].layer}/${catalog.views[0].name}` : '/query'}>their own page</Link>: Rename….
        </Text>
      )}
    </Box>
  )
}
