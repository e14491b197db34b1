import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type Catalog, type DeclaredKey, type SourceInfo, type Table } from '../api/client'
import { renewed } from '../lib/views'
import { localName } from './TableList'
import { ErrorLine, small } from '../shell/parts'

const field = { size: '2xs', bg: 'sheet', fontFamily: 'mono', spellCheck: false, autoComplete: 'off', _placeholder: { color: 'faint' } } as const

/** The keys of a table that were declared by hand, with what was measured of them, and a form for another. */
export function Keys({ source, table, catalog }: { source: SourceInfo; table: Table; catalog: Catalog }) {
  const [open, setOpen] = useState(false)
  const [columns, setColumns] = useState('')
  const [refers, setRefers] = useState(false)
  const [to, setTo] = useState('')
  const [references, setReferences] = useState('')
  const queries = useQueryClient()
  const declare = useMutation({
    mutationFn: (r: { key: DeclaredKey; drop?: boolean }) => api.declareKey(source.name, r),
    onSuccess: async (_, r) => {
      if (!r.drop) setOpen(false)
      await renewed(queries)
    },
  })
  const name = localName(table)
  const declared = source.declared.filter((k) => k.table === name)
  const list = (s: string) => s.split(',').map((c) => c.trim()).filter(Boolean)
  const key = (): DeclaredKey => ({ table: name, columns: list(columns), ...(refers ? { to, references: list(references) } : {}) })
  const tables = catalog.sources.flatMap((s) => (s.found?.tables ?? []).map((t) => `${s.name}.${localName(t)}`))
  return (
    <Box mt="2" fontSize="12px" data-testid="declared">
      {declared.map((k, i) => (
        <Flex key={i} gap="2" align="baseline">
          <Text fontFamily="mono">
            {k.columns.join(', ')}
            {k.to && ` → ${k.to} (${(k.references ?? []).join(', ')})`}
          </Text>
          <Text color={k.breaks ? 'kept' : 'faint'}>{noteOf(table, k)}</Text>
          <Button {...small} ml="auto" loading={declare.isPending && declare.variables?.drop && declare.variables.key === k} onClick={() => declare.mutate({ key: k, drop: true })}>
            Take back
          </Button>
        </Flex>
      ))}
      {!open && (
        <chakra.button type="button" color="tide" onClick={() => setOpen(true)} title="Say that columns are unique, or hold keys of another table; that is measured, and counts for estimates alone, since nothing enforces it">
          Declare a key
        </chakra.button>
      )}
      {open && (
        <form
          onSubmit={(e) => {
            e.preventDefault()
            declare.mutate({ key: key() })
          }}
        >
          <Flex gap="1.5" align="center" wrap="wrap">
            <Input {...field} w="150px" flexShrink={0} autoFocus aria-label="Columns of the key" placeholder="column, column" value={columns} onChange={(e) => setColumns(e.target.value)} />
            <chakra.select aria-label="What the columns are" h="24px" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" value={refers ? 'refers' : 'unique'} onChange={(e) => setRefers(e.target.value === 'refers')}>
              <option value="unique">are unique</option>
              <option value="refers">hold keys of</option>
            </chakra.select>
            {refers && (
              <>
                <Input {...field} w="150px" flexShrink={0} list="declared-to" aria-label="The other table" placeholder="source.table" value={to} onChange={(e) => setTo(e.target.value)} />
                <datalist id="declared-to">
                  {tables.map((t) => (
                    <option key={t} value={t} />
                  ))}
                </datalist>
                <Input {...field} w="110px" flexShrink={0} aria-label="Columns of the other table" placeholder="its columns" value={references} onChange={(e) => setReferences(e.target.value)} />
              </>
            )}
            <Button {...small} type="submit" loading={declare.isPending} disabled={!columns.trim()}>
              Measure and declare
            </Button>
            <Button {...small} onClick={() => setOpen(false)}>
              Cancel
            </Button>
          </Flex>
        </form>
      )}
      {declare.isError && (
        <ErrorLine of={declare.error} />
      )}
    </Box>
  )
}

/** What was measured of a declared key; it is said with the table's keys. */
function noteOf(table: Table, k: DeclaredKey): string {
  const same = (columns: string[]) => columns.join('\n') === k.columns.join('\n')
  if (k.to) return (table.foreignKeys ?? []).find((f) => f.declared && f.table === k.to && same(f.columns))?.declared ?? 'its columns are not there'
  return (table.keys ?? []).find((x) => x.declared && same(x.columns))?.declared ?? 'its columns are not there'
}
