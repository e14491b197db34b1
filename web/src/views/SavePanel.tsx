import { Box, Button, Flex, Input, NativeSelect, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type Catalog, type ViewInfo } from '../api/client'
import { renewed } from '../lib/views'
import { ErrorLine, bare } from '../shell/parts'

interface Props {
  catalog: Catalog
  sql: string
  said: Record<string, string> // of columns
  onSaved: (v: ViewInfo) => void
  onClose: () => void
}

/** Gives a query a layer and a name. It opens under the toolbar and hides nothing of the drawing. */
export function SavePanel({ catalog, sql, said, onSaved, onClose }: Props) {
  const [layer, setLayer] = useState(catalog.layers[catalog.layers.length - 1]?.name ?? '')
  const [name, setName] = useState('')
  const [description, setDescription] = useState('')
  const queries = useQueryClient()
  const save = useMutation({
    mutationFn: () => api.saveView({ layer, name, sql, description, said }),
    onSuccess: async (v) => {
      await renewed(queries)
      onSaved(v)
    },
  })
  return (
    <Box as="form" bg="rail" borderBottom="1px solid" borderColor="line" px="3" py="1.5" data-testid="save-panel"
      onSubmit={(e: React.FormEvent) => {
        e.preventDefault()
        save.mutate()
      }}
      onKeyDown={(e) => e.key === 'Escape' && onClose()}
    >
      <Flex gap="2" align="center">
        <Text color="faint">Save as</Text>
        <NativeSelect.Root size="xs" w="120px">
          <NativeSelect.Field bg="sheet" aria-label="Layer" value={layer} onChange={(e) => setLayer(e.target.value)}>
            {catalog.layers.map((l) => (
              <option key={l.name}>{l.name}</option>
            ))}
          </NativeSelect.Field>
          <NativeSelect.Indicator />
        </NativeSelect.Root>
        <Text>.</Text>
        <Input size="xs" w="180px" bg="sheet" autoFocus _placeholder={{ color: 'faint' }} placeholder="name" aria-label="Name" value={name} onChange={(e) => setName(e.target.value)} />
        <Input size="xs" flex="1" bg="sheet" _placeholder={{ color: 'faint' }} placeholder="what it is, in a sentence" aria-label="Description" value={description} onChange={(e) => setDescription(e.target.value)} />
        <Button size="xs" type="submit" bg="tide" color="paper" loading={save.isPending} disabled={!name || !layer}>
          Save view
        </Button>
        <Button {...bare} onClick={onClose}>
          Cancel
        </Button>
      </Flex>
      {save.isError && (
        <ErrorLine of={save.error} mt="1" />
      )}
    </Box>
  )
}
