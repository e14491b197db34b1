import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { columnTypes, misfits, moved, renamed, type ShapeColumn, type ShapeTable, type Trial } from './shapes'
import { Head, small } from '../shell/parts'

const tiny = { size: '2xs', variant: 'ghost', color: 'faint', minW: '18px', px: '0', _hover: { bg: 'sea', color: 'ink' } } as const

interface Props {
  language: string
  table: ShapeTable
  parent: boolean // it is a part of another
  made?: Trial['tables'][number]
  onChange: (t: ShapeTable) => void
  onDrop: () => void
}

/** The columns of one table of a shape, to be renamed, retyped, moved, added and dropped. */
export function ShapeColumns({ language, table, parent, made, onChange, onDrop }: Props) {
  const set = (i: number, change: Partial<ShapeColumn>) => onChange({ ...table, columns: table.columns.map((c, n) => (n === i ? { ...c, ...change } : c)) })
  const move = (i: number, by: number) => onChange({ ...table, columns: moved(table.columns, i, by) })
  const drop = (i: number) => onChange({ ...table, columns: table.columns.filter((_, n) => n !== i) })
  const add = () => onChange({ ...table, columns: [...table.columns, { name: free(table), from: 'path', path: language === 'xpath' ? '.' : '$', type: 'text', misfit: 'null' }] })
  const seenOf = (c: ShapeColumn) => made?.columns.find((m) => m.name === c.name)
  return (
    <Box p="2">
      <Flex gap="2" align="center" mb="1" fontSize="12px">
        <Text color="faint">table</Text>
        <Input size="2xs" bg="sheet" w="176px" fontFamily="mono" aria-label="Name of the table" value={table.name} onChange={(e) => onChange({ ...table, name: e.target.value })} />
        <Text color="faint">{parent ? 'rows, from the row above' : 'the records are at'}</Text>
        <Input size="2xs" bg="sheet" flex="1" minW="0" fontFamily="mono" aria-label="Path to the rows" value={table.rows} spellCheck={false} onChange={(e) => onChange({ ...table, rows: e.target.value })} />
        {parent && (
          <Button {...small} color="kept" title="Leave this part of the records out" onClick={onDrop}>
            Drop the table
          </Button>
        )}
      </Flex>
      <chakra.table w="100%" fontSize="12px" borderCollapse="collapse" data-testid="shape-columns">
        <Head names={['', 'column', 'path', 'type', 'else it is', 'in the sample', '']} />
        <tbody>
          {table.columns.map((c, i) => {
            const seen = seenOf(c)
            return (
              <chakra.tr key={i} _hover={{ bg: 'sheet' }}>
                <chakra.td w="38px" whiteSpace="nowrap">
                  <Button {...tiny} aria-label={`Move ${c.name} up`} disabled={i === 0} onClick={() => move(i, -1)}>
                    ↑
                  </Button>
                  <Button {...tiny} aria-label={`Move ${c.name} down`} disabled={i === table.columns.length - 1} onClick={() => move(i, 1)}>
                    ↓
                  </Button>
                </chakra.td>
                <chakra.td px="0.5" w="136px">
                  <Input
                    size="2xs"
                    bg="sheet"
                    fontFamily="mono"
                    aria-label={`Name of column ${i + 1}`}
                    value={c.name}
                    spellCheck={false}
                    onChange={(e) => onChange(renamed(table, i, e.target.value))}
                    onKeyDown={(e) => {
                      if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
                        e.preventDefault()
                        move(i, e.key === 'ArrowUp' ? -1 : 1)
                      }
                    }}
                  />
                </chakra.td>
                {c.from === 'path' ? (
                  <>
                    <chakra.td px="0.5" minW="130px">
                      <Input size="2xs" bg="sheet" fontFamily="mono" aria-label={`Path of ${c.name}`} value={c.path ?? ''} spellCheck={false} onChange={(e) => set(i, { path: e.target.value })} />
                    </chakra.td>
                    <chakra.td px="0.5" w="116px">
                      <Choice label={`Type of ${c.name}`} value={c.id ? 'identifier' : (c.type ?? 'text')} options={[...columnTypes, ...(c.id ? ['identifier'] : [])].map((t) => [t, t])} onChange={(type) => set(i, type === 'identifier' ? { type: 'text', id: true } : { type, id: undefined })} />
                    </chakra.td>
                    <chakra.td px="0.5" w="70px">
                      <Choice label={`What does not fit ${c.name}`} value={c.misfit ?? 'error'} options={misfits} onChange={(misfit) => set(i, { misfit: misfit as ShapeColumn['misfit'] })} />
                    </chakra.td>
                  </>
                ) : (
                  <chakra.td colSpan={3} px="1.5" color="faint">
                    {c.from === 'parent' ? `${c.path} of the row above` : c.from === 'position' ? (parent ? 'its place within the row above, from 1' : 'its place in the file, from 1') : 'the file that it is in'}
                  </chakra.td>
                )}
                <chakra.td px="1.5" fontSize="11px" color="faint" maxW="156px">
                  <Text truncate title={seen?.seen || c.seen}>
                    {seen?.seen}
                  </Text>
                  {seen && seen.misfits > 0 && (
                    <Text truncate color={c.misfit === 'error' ? 'kept' : 'narrowed'} title={seen.example}>
                      {seen.misfits} {seen.misfits === 1 ? 'does' : 'do'} not fit: {seen.example}
                    </Text>
                  )}
                </chakra.td>
                <chakra.td w="20px">
                  <Button {...tiny} aria-label={`Drop ${c.name}`} title="Drop this column" onClick={() => drop(i)}>
                    ×
                  </Button>
                </chakra.td>
              </chakra.tr>
            )
          })}
        </tbody>
      </chakra.table>
      <Button {...small} mt="1" onClick={add}>
        Add a column
      </Button>
    </Box>
  )
}

function free(t: ShapeTable): string {
  let n = t.columns.length + 1
  while (t.columns.some((c) => c.name === `column_${n}`)) n++
  return `column_${n}`
}

/** A native choice in the size of the inputs beside it. */
function Choice({ label, value, options, onChange }: { label: string; value: string; options: readonly (readonly [string, string])[]; onChange: (v: string) => void }) {
  return (
    <chakra.select aria-label={label} w="100%" h="24px" px="1" bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" fontSize="12px" value={value} onChange={(e) => onChange(e.target.value)}>
      {options.map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </chakra.select>
  )
}
