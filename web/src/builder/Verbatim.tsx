import { Box, Button, chakra, Flex, Textarea } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api } from '../api/client'
import { select, small, tiny } from './parts'
import { ErrorLine } from '../shell/parts'

/** Kinds of sources that take statements of their own. */
const speaking = ['postgresql', 'mariadb', 'sqlite', 'document']

/** Writes a statement in a source's own language, which its source describes before it is taken as an input. */
export function Verbatim({ onTake, onClose }: { onTake: (name: string) => void; onClose: () => void }) {
  const catalog = useQuery({ queryKey: ['catalog'], queryFn: api.catalog })
  const sources = (catalog.data?.sources ?? []).filter((s) => speaking.includes(s.kind))
  const [chosen, setChosen] = useState('')
  const [text, setText] = useState('')
  const source = chosen || (sources[0]?.name ?? '')
  const fence = text.includes('$$') ? '$own$' : '$$'
  const name = `verbatim('${source.replaceAll("'", "''")}', ${fence} ${text.trim()} ${fence})`
  // Explaining it has the source describe its columns; nothing is read.
  const told = useQuery({ queryKey: ['verbatim', name], queryFn: ({ signal }) => api.explain({ sql: `SELECT * FROM ${name} AS v`, foldOff: false, layer: '', view: '' }, signal), enabled: false, retry: false })
  const take = async () => {
    if ((await told.refetch()).isSuccess) onTake(name)
  }
  return (
    <Box ml="20px" mt="1" p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" data-testid="verbatim" onKeyDown={(e) => e.key === 'Escape' && onClose()}>
      <Flex align="center" gap="2" mb="1" fontSize="12px">
        What
        <chakra.select {...select} aria-label="Source of the statement" value={source} onChange={(e) => setChosen(e.target.value)}>
          {sources.map((s) => (
            <option key={s.name}>{s.name}</option>
          ))}
        </chakra.select>
        answers to, as it stands:
        <Button {...tiny} ml="auto" onClick={onClose}>
          Cancel
        </Button>
      </Flex>
      <Textarea size="xs" rows={3} bg="sheet" borderColor="line" fontFamily="mono" fontSize="12px" spellCheck={false} autoFocus aria-label="The statement" value={text} onChange={(e) => setText(e.target.value)} />
      {told.isError && !told.isFetching && (
        <ErrorLine of={told.error} fontSize="11px" />
      )}
      <Button {...small} mt="1" disabled={!text.trim()} loading={told.isFetching} onClick={() => void take()}>
        Take it as an input
      </Button>
    </Box>
  )
}
