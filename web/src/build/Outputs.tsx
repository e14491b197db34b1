import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useRef, useState } from 'react'
import type { FormBlock, FormColumn, FormEdit, InputFacts, Piece } from '../api/client'
import { Cleaning } from './Cleaning'
import { Field, Mark, Section, small, tiny, worst } from './parts'
import { Picker } from './Picker'
import type { Builder } from './useBuilder'

interface Props {
  builder: Builder
  block: FormBlock
  at: number
  blocks: number
  columns: FormColumn[][] // what each output gives
  inputs: InputFacts[]
  pieces: Piece[]
  chosen: string | null
  onChoose: (id: string | null) => void
  onGroup: (items: number[]) => void
}

/** The output columns: renamed, computed, moved, cleaned and removed, by hand or many at once. */
export function Outputs({ builder, block, at, blocks, columns, inputs, pieces, chosen, onChoose, onGroup }: Props) {
  const [marked, setMarked] = useState(0)
  const [picked, setPicked] = useState<Set<number>>(new Set())
  const [picking, setPicking] = useState(false)
  const [cleaning, setCleaning] = useState<number | null>(null)
  const list = useRef<HTMLDivElement>(null)
  const outs = block.outputs
  const here = Math.min(marked, outs.length - 1)
  const names = outs.map((o, i) => (o.star ? '' : (columns[i]?.[0]?.name ?? o.name)))
  const all = columns.flatMap((c) => c.map((x) => x.name))
  const clash = (name: string) => name !== '' && all.filter((n) => n === name).length > 1
  const total = columns.reduce((n, c) => n + c.length, 0)
  const set = (i: number, change: Partial<FormEdit>) => builder.edit({ do: 'set output', block: at, at: i, name: outs[i]!.name, ...change })
  const chosenOnes = () => (picked.size > 0 ? [...picked].filter((i) => i < outs.length) : [here])
  const remove = () => {
    setPicked(new Set())
    return builder.edit({ do: 'remove output', block: at, items: chosenOnes() })
  }
  const move = (by: number) => {
    const to = here + by
    if (to < 0 || to >= outs.length) return
    setMarked(to)
    void builder.edit({ do: 'move output', block: at, at: here, to })
  }
  const toggle = (i: number) => setPicked((p) => new Set(p.has(i) ? [...p].filter((n) => n !== i) : [...p, i]))
  const focusField = (field: string) => list.current?.querySelector<HTMLInputElement>(`[data-row="${here}"] [data-field=${field}]`)?.select()
  const key = (e: React.KeyboardEvent) => {
    if (e.target !== list.current) return
    const does: Record<string, () => unknown> = {
      ArrowDown: () => (e.altKey ? move(1) : setMarked(Math.min(here + 1, outs.length - 1))),
      ArrowUp: () => (e.altKey ? move(-1) : setMarked(Math.max(here - 1, 0))),
      Home: () => setMarked(0),
      End: () => setMarked(outs.length - 1),
      ' ': () => toggle(here),
      a: () => e.ctrlKey && setPicked(new Set(outs.map((_, i) => i))),
      Escape: () => setPicked(new Set()),
      Delete: remove,
      F2: () => focusField('name'),
      Enter: () => focusField('expr'),
      c: () => !e.ctrlKey && !outs[here]?.star && setCleaning(here),
    }
    const act = does[e.key]
    if (!act) return
    e.preventDefault()
    if (e.shiftKey && e.key.startsWith('Arrow')) setPicked((p) => new Set([...p, here]))
    act()
  }
  return (
    <Section
      title="Columns"
      aside={`${total}${picked.size > 0 ? `, ${picked.size} chosen` : ''}`}
      tools={
        <>
          {picked.size > 0 && blocks === 1 && block.groups.length === 0 && (
            <Button {...small} title="One row for each of their values" onClick={() => onGroup([...picked].sort((a, b) => a - b))}>
              Group by these
            </Button>
          )}
          {picked.size > 0 && (
            <Button {...small} title="Delete" onClick={() => void remove()}>
              Remove
            </Button>
          )}
          <Button {...small} aria-expanded={picking} onClick={() => setPicking(!picking)}>
            Add columns…
          </Button>
        </>
      }
    >
      {picking && <Picker builder={builder} block={block} at={at} inputs={inputs} taken={columns.flat()} onClose={() => setPicking(false)} />}
      <Box ref={list} tabIndex={0} role="listbox" aria-label="Output columns" aria-activedescendant={`output-${here}`} onKeyDown={key} title="Arrows move, Space chooses, Alt+arrows reorder, F2 renames, Enter edits, C cleans, Delete removes">
        {outs.map((o, i) => (
          <Box key={i} id={`output-${i}`} data-row={i} data-testid="output" role="option" aria-selected={picked.has(i)} bg={picked.has(i) ? 'deep' : i === here ? 'sea' : undefined}>
            <Flex align="center" gap="1" h="22px" onMouseDown={() => setMarked(i)}>
              <chakra.input type="checkbox" tabIndex={-1} aria-label={`Choose column ${i + 1}`} checked={picked.has(i)} onChange={() => toggle(i)} />
              <Mark piece={worst(pieces, o)} chosen={chosen} onChoose={onChoose} />
              {o.star ? (
                <>
                  <Text fontFamily="mono" fontSize="12px">
                    {o.text}
                  </Text>
                  <Text color="faint" fontSize="11px" truncate flex="1" title={columns[i]?.map((c) => c.name).join(', ')}>
                    {columns[i]?.length ?? 0} columns: {columns[i]?.map((c) => c.name).join(', ')}
                  </Text>
                  <Button {...tiny} color="tide" disabled={!columns[i]?.length} onClick={() => builder.edit({ do: 'expand star', block: at, at: i, texts: columns[i]!.map((c) => c.sql) })}>
                    Write them out
                  </Button>
                </>
              ) : (
                <>
                  <Field data-field="name" label={`Name of column ${i + 1}`} w="132px" flexShrink={0} value={names[i] ?? ''} color={clash(names[i]!) ? 'kept' : undefined} title={clash(names[i]!) ? `another column is called ${names[i]} too` : names[i]} onCommit={(name) => set(i, { name })} />
                  <Field data-field="expr" label={`Expression of column ${i + 1}`} flex="1" minW="60px" color="faint" value={o.expr.text.replace(/\s+/g, ' ')} title={o.expr.text} onCommit={(text) => set(i, { text, name: names[i] })} />
                  <Text color="faint" fontSize="11px" maxW="86px" truncate title={columns[i]?.[0]?.type}>
                    {columns[i]?.[0]?.type}
                  </Text>
                  {clash(names[i]!) && columns[i]?.[0]?.sql && (
                    <Button {...tiny} color="kept" title="Two columns have this name: call it by its input too" onClick={() => set(i, { name: columns[i]![0]!.sql.replace(/"/g, '').replace('.', '_') })}>
                      resolve
                    </Button>
                  )}
                  <Button {...tiny} aria-label={`Clean ${names[i]}`} title="What its values are like, and how to put them right (C)" aria-expanded={cleaning === i} onClick={() => setCleaning(cleaning === i ? null : i)}>
                    clean
                  </Button>
                </>
              )}
            </Flex>
            {cleaning === i && <Cleaning key={o.text} builder={builder} block={at} at={i} name={names[i] ?? ''} type={columns[i]?.[0]?.type ?? ''} onClose={() => setCleaning(null)} />}
          </Box>
        ))}
      </Box>
    </Section>
  )
}
