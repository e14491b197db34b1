import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { api, type Catalog, type RenameRequest, type ViewInfo } from '../api/client'
import { renewed } from '../lib/views'
import { RenamePlan } from './RenamePlan'
import { ErrorLine, small } from '../shell/parts'

const select = { fontSize: '12px', bg: 'sheet', border: '1px solid', borderColor: 'line', borderRadius: '3px', h: '24px', px: '1' } as const

/** Gives a view or a column of it another name, in every text that reads it, once that was looked at. */
export function RenameStrip({ catalog, view, onRenamed, onDone }: { catalog: Catalog; view: ViewInfo; onRenamed: (v: ViewInfo) => void; onDone: () => void }) {
  const full = `${view.layer}.${view.name}`
  const [column, setColumn] = useState('')
  const [layer, setLayer] = useState(view.layer)
  const [to, setTo] = useState(view.name)
  const [through, setThrough] = useState(true)
  const [message, setMessage] = useState('')
  const [removing, setRemoving] = useState(false)
  const queries = useQueryClient()
  const navigate = useNavigate()
  const asked: RenameRequest = column ? { column: `${full}.${column}`, to: to.trim(), through } : { view: full, to: `${layer}.${to.trim()}` }
  const same = column ? to.trim() === column || to.trim() === '' : `${layer}.${to.trim()}` === full || to.trim() === ''
  const plan = useQuery({ queryKey: ['rename', view.revision, asked], queryFn: ({ signal }) => api.planRename(asked, signal), enabled: !same, placeholderData: keepPreviousData, staleTime: 0, retry: false })
  const rename = useMutation({
    mutationFn: () => api.rename({ ...asked, seen: plan.data!.seen, message }),
    onSuccess: async () => {
      await renewed(queries)
      onDone()
      if (column) onRenamed(await api.view(full))
      else void navigate(`/view/${layer}/${to.trim()}`)
    },
  })
  const problem = rename.error ?? (plan.isPlaceholderData ? null : plan.error)
  return (
    <Box
      as="form"
      bg="rail"
      borderBottom="1px solid"
      borderColor="line"
      px="3"
      py="1.5"
      data-testid="rename-strip"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault()
        if (plan.data && !plan.isFetching && !same) rename.mutate()
      }}
      onKeyDown={(e) => e.key === 'Escape' && onDone()}
    >
      <Flex gap="2" align="center" fontSize="12px">
        Rename
        <chakra.select
          {...select}
          aria-label="What to rename"
          value={column}
          onChange={(e) => {
            setColumn(e.target.value)
            setTo(e.target.value || view.name)
          }}
        >
          <option value="">the view</option>
          {view.columns.map((c) => (
            <option key={c.name} value={c.name}>
              column {c.name}
            </option>
          ))}
        </chakra.select>
        to
        {!column && (
          <chakra.select {...select} aria-label="Its layer" value={layer} onChange={(e) => setLayer(e.target.value)}>
            {catalog.layers.map((l) => (
              <option key={l.name}>{l.name}</option>
            ))}
          </chakra.select>
        )}
        <Input size="xs" w="160px" h="24px" bg="sheet" fontFamily="mono" autoFocus spellCheck={false} aria-label="The new name" value={to} onChange={(e) => setTo(e.target.value)} />
        {column && (
          <chakra.label display="flex" gap="1" alignItems="center" title="Views that pass the column on under its name do so under the new one; else they keep the old name">
            <input type="checkbox" checked={through} onChange={(e) => setThrough(e.target.checked)} />
            through all that pass it on
          </chakra.label>
        )}
        <Input size="xs" h="24px" flex="1" bg="sheet" aria-label="Why" placeholder="why" _placeholder={{ color: 'faint' }} value={message} onChange={(e) => setMessage(e.target.value)} />
        <Button size="xs" h="24px" type="submit" bg="tide" color="paper" loading={rename.isPending} disabled={same || !plan.data || plan.isError || plan.isFetching}>
          Rename
        </Button>
        <Button size="xs" h="24px" variant="ghost" color="ink" _hover={{ bg: 'sea' }} onClick={onDone}>
          Cancel
        </Button>
        <Button size="xs" h="24px" variant="ghost" color="kept" _hover={{ bg: 'sea' }} aria-expanded={removing} title="Forget the view; its revisions are kept" onClick={() => setRemoving(!removing)}>
          Remove…
        </Button>
      </Flex>
      {removing && <Removing full={full} />}
      {problem && (
        <ErrorLine of={problem} mt="1" />
      )}
      {!same && plan.data && !plan.isError && (
        <Box mt="1" maxH="260px" overflowY="auto">
          <RenamePlan plan={plan.data} />
        </Box>
      )}
    </Box>
  )
}

/** Forgets a view, once it was seen who reads it. */
function Removing({ full }: { full: string }) {
  const queries = useQueryClient()
  const navigate = useNavigate()
  const impact = useQuery({ queryKey: ['impact', full, 'gone', ''], queryFn: ({ signal }) => api.impact(full, 'gone', '', signal), staleTime: 0, retry: false })
  const remove = useMutation({
    mutationFn: () => api.removeView(full, true),
    onSuccess: async () => {
      await navigate('/query')
      await renewed(queries)
    },
  })
  const broken = impact.data?.broken ?? []
  const problem = impact.error ?? remove.error
  return (
    <Flex gap="2" align="center" fontSize="12px" mt="1" data-testid="removing">
      {problem && <ErrorLine of={problem} />}
      {impact.isPending && <Text color="faint">Seeing who reads it…</Text>}
      {impact.data && (
        <>
          <Text color={broken.length > 0 ? 'kept' : 'faint'} truncate title={broken.map((b) => b.view).join(', ')}>
            {broken.length === 0 ? 'No view reads it.' : `${broken.map((b) => b.view).join(', ')} would break.`}
          </Text>
          <Button {...small} color="kept" loading={remove.isPending} onClick={() => remove.mutate()}>
            {broken.length === 0 ? 'Remove the view' : 'Remove anyway'}
          </Button>
        </>
      )}
    </Flex>
  )
}
