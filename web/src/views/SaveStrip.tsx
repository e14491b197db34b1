import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Link } from 'react-router'
import { api, ApiError, type Effects, type ViewInfo } from '../api/client'
import { renewed } from '../lib/views'
import { count } from '../lib/text'
import { ChangedLines } from './ChangedLines'
import { ErrorLine, bare, small } from '../shell/parts'

interface Props {
  view: ViewInfo
  base: number // the revision that the text is based on
  sql: string
  said: Record<string, string> // of columns
  onSaved: (revision: number) => void
  onDone: () => void
}

const stale = '40001'

/** Saves a view that is there, having shown what that does to it and to what reads it. */
export function SaveStrip({ view, base, sql, said, onSaved, onDone }: Props) {
  const [message, setMessage] = useState('')
  const { layer, name, description } = view
  const queries = useQueryClient()
  const effects = useQuery({ queryKey: ['effects', layer, name, sql], queryFn: ({ signal }) => api.effects({ layer, name, sql, description }, signal), staleTime: 0, retry: false })
  const save = useMutation({
    mutationFn: (over: boolean) => api.saveView({ layer, name, sql, description, replace: true, message, said, ...(over ? {} : { base }) }),
    onSuccess: async (v) => {
      onSaved(v.revision)
      await renewed(queries)
      onDone()
    },
    onError: () => renewed(queries),
  })
  const problem = save.error instanceof ApiError ? save.error.problem : null
  return (
    <Box as="form" bg="rail" borderBottom="1px solid" borderColor="line" px="3" py="1.5" data-testid="save-strip"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault()
        save.mutate(false)
      }}
      onKeyDown={(e) => e.key === 'Escape' && onDone()}
    >
      <Flex gap="2" align="center">
        <Input size="xs" flex="1" bg="sheet" autoFocus aria-label="What changed, and why" placeholder="what changed, and why" _placeholder={{ color: 'faint' }} value={message} onChange={(e) => setMessage(e.target.value)} />
        <Button size="xs" type="submit" bg="tide" color="paper" loading={save.isPending} disabled={(effects.data?.broken.length ?? 0) > 0}>
          Save as revision {view.revision + 1}
        </Button>
        <Button {...bare} onClick={onDone}>
          Cancel
        </Button>
      </Flex>
      <Box fontSize="12px" mt="1" maxH="150px" overflowY="auto" data-testid="effects">
        {effects.isPending && <Text color="faint">Seeing what it does to its readers…</Text>}
        {effects.error && <ErrorLine of={effects.error} />}
        {effects.data && <EffectLines effects={effects.data} view={`${layer}.${name}`} />}
      </Box>
      {save.isError && (
        <Box mt="1">
        <Flex gap="3" align="baseline" fontSize="12px">
          <ErrorLine of={save.error} />
          {problem?.code === stale && (
            <>
              <Link to={`/view/${layer}/${name}/revisions`} target="_blank">
                <Text color="tide">All revisions</Text>
              </Link>
              <Button {...small} color="kept" onClick={() => save.mutate(true)}>
                Save over it
              </Button>
            </>
          )}
        </Flex>
        {problem?.code === stale && (
          <Box fontSize="12px" maxH="180px" overflowY="auto" data-testid="both-texts">
            <Text color="faint">{view.sql === sql ? 'Both revisions are the same.' : `From revision ${view.revision}, which is there now, to yours:`}</Text>
            <ChangedLines was={view.sql} is={sql} />
          </Box>
        )}
        </Box>
      )}
    </Box>
  )
}

function EffectLines({ effects, view }: { effects: Effects; view: string }) {
  const { columns, readers, broken, mended, worse, crossing, looked } = effects
  return (
    <>
      <Text color="faint">
        {readers.length === 0 ? 'No view reads it.' : readers.length === 1 ? '1 view reads it.' : `${count(readers.length)} views read it.`}
        {looked <= readers.length - mended.length && ` The plans of ${looked} were compared.`}
        {columns.length + broken.length + mended.length + worse.length + crossing.length === 0 && ' Its columns and all verdicts stay as they are.'}
      </Text>
      {broken.map((b) => (
        <Text key={b.view} color="kept">
          breaks {b.view}: {b.error}
        </Text>
      ))}
      {mended.length > 0 && <Text color="folded">mends {mended.join(', ')}</Text>}
      {columns.map((c) => (
        <Text key={c.name} color={c.is ? 'ink' : 'narrowed'}>
          column {c.name}: {c.was || 'new'} → {c.is || 'gone'}
        </Text>
      ))}
      {worse.map((w, i) => (
        <Text key={i} color={w.is === 'kept' ? 'kept' : 'narrowed'} title={w.reason}>
          {w.view === view ? '' : `${w.view}: `}
          {w.piece} was {w.was} and is {w.is}: {w.reason}
        </Text>
      ))}
      {crossing.map((c) => (
        <Text key={c.view} color={c.is > c.was ? 'narrowed' : 'folded'}>
          {c.view}: about {count(c.is)} rows cross, {count(c.was)} before
        </Text>
      ))}
    </>
  )
}
