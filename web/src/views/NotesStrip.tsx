import { Box, Button, chakra, Flex, Input, Textarea } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type ViewInfo } from '../api/client'
import { renewed } from '../lib/views'
import { ErrorLine } from '../shell/parts'

const cell = { fontSize: '12px', px: '1', py: '0', verticalAlign: 'middle' } as const

const split = (text: string) => text.split(',').map((l) => l.trim()).filter(Boolean)

/** What is said of a view and its columns; columns that come unchanged from a lower view inherit. */
export function NotesStrip({ view, onDone }: { view: ViewInfo; onDone: (revision: number) => void }) {
  const full = `${view.layer}.${view.name}`
  const [description, setDescription] = useState(view.description)
  const [labels, setLabels] = useState(view.labels.join(', '))
  const own = (c: ViewInfo['columns'][number]) => ({ description: c.from ? '' : c.description, labels: c.from ? '' : c.labels.join(', ') })
  const [columns, setColumns] = useState(() => new Map(view.columns.map((c) => [c.name, own(c)])))
  const queries = useQueryClient()
  const draft = useMutation({ mutationFn: () => api.draft({ sql: view.sql, layer: view.layer, view: view.name }), onSuccess: (d) => setDescription(d.description) })
  const save = useMutation({
    mutationFn: () =>
      api.describe(full, { description, labels: split(labels), base: view.revision, columns: Object.fromEntries([...columns].filter(([, n]) => n.description.trim() || n.labels.trim()).map(([name, n]) => [name, { description: n.description.trim(), labels: split(n.labels) }])) }),
    onSuccess: async (v) => {
      await renewed(queries)
      onDone(v.revision)
    },
  })
  const set = (name: string, c: Partial<{ description: string; labels: string }>) => setColumns(new Map(columns).set(name, { ...columns.get(name)!, ...c }))
  const problem = save.error ?? draft.error
  return (
    <Box bg="rail" borderBottom="1px solid" borderColor="line" px="3" py="1.5" fontSize="12px" data-testid="notes-strip" onKeyDown={(e) => e.key === 'Escape' && onDone(0)}>
      <Flex gap="2" align="flex-start">
        <Textarea size="xs" flex="1" rows={2} bg="sheet" autoFocus aria-label="Description of the view" placeholder="what a row of it is, and which there are" _placeholder={{ color: 'faint' }} value={description} onChange={(e) => setDescription(e.target.value)} />
        <Input size="xs" w="180px" h="24px" bg="sheet" aria-label="Labels of the view" placeholder="labels, with commas" _placeholder={{ color: 'faint' }} value={labels} onChange={(e) => setLabels(e.target.value)} />
        <Button size="xs" h="24px" variant="outline" color="ink" bg="sheet" borderColor="line" _hover={{ bg: 'sea' }} title="Write one from its SQL and what is expected of it" loading={draft.isPending} onClick={() => draft.mutate()}>
          Draft it
        </Button>
        <Button size="xs" h="24px" bg="tide" color="paper" loading={save.isPending} onClick={() => save.mutate()}>
          Keep
        </Button>
        <Button size="xs" h="24px" variant="ghost" color="ink" _hover={{ bg: 'sea' }} onClick={() => onDone(0)}>
          Cancel
        </Button>
      </Flex>
      {problem && (
        <ErrorLine of={problem} mt="1" />
      )}
      <Box mt="1" maxH="180px" overflowY="auto">
        <chakra.table w="100%">
          <tbody>
            {view.columns.map((c) => {
              const n = columns.get(c.name)!
              return (
                <tr key={c.name}>
                  <chakra.td {...cell} fontFamily="mono" w="150px">
                    {c.name}
                  </chakra.td>
                  <chakra.td {...cell}>
                    <Input size="2xs" h="20px" bg="sheet" aria-label={`Description of ${c.name}`} placeholder={c.from ? `${c.description} — from ${c.from}` : 'nothing said'} _placeholder={{ color: 'faint' }} value={n.description} onChange={(e) => set(c.name, { description: e.target.value })} />
                  </chakra.td>
                  <chakra.td {...cell} w="180px">
                    <Input size="2xs" h="20px" bg="sheet" aria-label={`Labels of ${c.name}`} placeholder={c.from ? c.labels.join(', ') : 'labels'} _placeholder={{ color: 'faint' }} value={n.labels} onChange={(e) => set(c.name, { labels: e.target.value })} />
                  </chakra.td>
                </tr>
              )
            })}
          </tbody>
        </chakra.table>
      </Box>
    </Box>
  )
}
