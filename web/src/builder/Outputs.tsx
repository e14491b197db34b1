import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { useRef, useState } from 'react'
import type { CleaningStep, FormBlock, FormColumn, FormEdit, InputFacts, Piece } from '../api/client'
import { Cleaning } from './Cleaning'
import { columnTypes } from '../sources/shapes'
import { Field, Mark, Section, select, small, tiny, worst } from './parts'
import { Picker } from './Picker'
import type { Said } from '../views/useSaid'
import type { Builder } from './useBuilder'

/** As wide as what it shows. */
const fit = { fieldSizing: 'content' } as React.CSSProperties

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
  said: Said
}

/** The output columns: renamed, computed, moved, cleaned and removed, by hand or many at once. */
export function Outputs({ builder, block, at, blocks, columns, inputs, pieces, chosen, onChoose, onGroup, said }: Props) {
  const [marked, setMarked] = useState(0)
  const [picked, setPicked] = useState<Set<number>>(new Set())
  const [picking, setPicking] = useState(false)
  const [cleaning, setCleaning] = useState<number | null>(null)
  const [noting, setNoting] = useState<number | null>(null)
  const list = useRef<HTMLDivElement>(null)
  const bulk = useRef<HTMLSelectElement>(null)
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
  const cast = (items: number[], type: string) => builder.edit({ do: 'cast output', block: at, items, kind: type })
  const focusField = (field: string) => list.current?.querySelector<HTMLElement>(`[data-row="${here}"] [data-field=${field}]`)?.focus()
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
      n: () => !outs[here]?.star && setNoting(here),
      t: () => (picked.size > 0 ? bulk.current?.focus() : focusField('type')),
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
          <Button {...small} aria-expanded={picking} onClick={() => setPicking(!picking)}>
            Add columns…
          </Button>
        </>
      }
    >
      {picked.size > 0 && (
        <Flex gap="1" mb="1" align="center" fontSize="12px" data-testid="bulk">
          <chakra.select {...select} ref={bulk} style={fit} aria-label="Type of the chosen columns" value="" onChange={(e) => e.target.value && void cast(chosenOnes(), e.target.value)}>
            <option value="">cast to…</option>
            {columnTypes.map((t) => (
              <option key={t}>{t}</option>
            ))}
          </chakra.select>
          <chakra.select {...select} style={fit} aria-label="Cleaning of the chosen columns" value="" onChange={(e) => e.target.value && void builder.edit({ do: 'clean output', block: at, items: chosenOnes(), clean: { step: e.target.value as CleaningStep['step'] } })}>
            <option value="">clean…</option>
            <option value="trim">trim spaces</option>
            <option value="upper">UPPER</option>
            <option value="lower">lower</option>
            <option value="blank">empty to NULL</option>
          </chakra.select>
          <Prefix onTake={(p) => builder.edit(...chosenOnes().map((i) => ({ do: 'set output', block: at, at: i, name: p + names[i] })))} />
          {blocks === 1 && block.groups.length === 0 && (
            <Button {...small} ml="auto" title="One row for each of their values" onClick={() => {
              onGroup([...picked].sort((a, b) => a - b))
              setPicked(new Set())
            }}>
              Group by
            </Button>
          )}
          <Button {...small} title="Delete" onClick={() => void remove()}>
            Remove
          </Button>
        </Flex>
      )}
      {picking && <Picker builder={builder} block={block} at={at} inputs={inputs} taken={columns.flat()} onClose={() => setPicking(false)} />}
      <Box ref={list} tabIndex={0} role="listbox" aria-label="Output columns" aria-activedescendant={`output-${here}`} onKeyDown={key} title="Arrows move, Space chooses, Alt+arrows reorder, F2 renames, Enter edits, T casts, C cleans, N notes, Delete removes">
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
                  <Field data-field="name" label={`Name of column ${i + 1}`} w="126px" flexShrink={0} value={names[i] ?? ''} color={clash(names[i]!) ? 'kept' : undefined} title={clash(names[i]!) ? `another column is called ${names[i]} too` : names[i]} onCommit={(name) => set(i, { name })} />
                  <Field data-field="expr" label={`Expression of column ${i + 1}`} flex="1" minW="60px" color="faint" value={o.expr.text.replace(/\s+/g, ' ')} title={o.expr.text} onCommit={(text) => set(i, { text, name: names[i] })} />
                  <TypeOf type={columns[i]?.[0]?.type ?? ''} name={names[i] ?? ''} onCast={(t) => cast([i], t)} />
                  {clash(names[i]!) && columns[i]?.[0]?.sql && (
                    <Button {...tiny} color="kept" title="Two columns have this name: call it by its input too" onClick={() => set(i, { name: columns[i]![0]!.sql.replace(/"/g, '').replace('.', '_') })}>
                      resolve
                    </Button>
                  )}
                  <Button {...tiny} aria-label={`Clean ${names[i]}`} title="What its values are like, and how to put them right (C)" aria-expanded={cleaning === i} onClick={() => setCleaning(cleaning === i ? null : i)}>
                    clean
                  </Button>
                  <Button {...tiny} color={said.of(names[i] ?? '').text ? 'tide' : 'faint'} aria-label={`Note on ${names[i]}`} title={said.of(names[i] ?? '').text || said.of(names[i] ?? '').inherited || 'Say what it holds (N)'} aria-expanded={noting === i} onClick={() => setNoting(noting === i ? null : i)}>
                    note
                  </Button>
                </>
              )}
            </Flex>
            {noting === i && (
              <Field
                label={`Description of ${names[i]}`}
                value={said.of(names[i] ?? '').text}
                w="calc(100% - 24px)"
                ml="18px"
                mb="1"
                bg="sheet"
                borderColor="line"
                fontFamily="body"
                autoFocus
                placeholder={said.of(names[i] ?? '').inherited || 'what it holds, in a sentence'}
                onCommit={(text) => said.say(names[i] ?? '', text)}
              />
            )}
            {cleaning === i && <Cleaning key={o.text} builder={builder} block={at} at={i} name={names[i] ?? ''} type={columns[i]?.[0]?.type ?? ''} onClose={() => setCleaning(null)} />}
          </Box>
        ))}
      </Box>
    </Section>
  )
}

/** A column's type, which another one chosen for it casts it to. */
function TypeOf({ type, name, onCast }: { type: string; name: string; onCast: (type: string) => unknown }) {
  return (
    <chakra.select data-field="type" aria-label={`Type of ${name}`} title={`${type}: choose another to cast it (T)`} value={type} onChange={(e) => void onCast(e.target.value)} appearance="none" bg="transparent" color="faint" fontSize="11px" maxW="82px" textAlign="right" style={fit} textOverflow="ellipsis" cursor="pointer" _hover={{ color: 'tide' }}>
      {!columnTypes.some((t) => t === type) && <option value={type}>{type}</option>}
      {columnTypes.map((t) => (
        <option key={t}>{t}</option>
      ))}
    </chakra.select>
  )
}

/** Puts the same beginning before the names of the chosen columns. */
function Prefix({ onTake }: { onTake: (prefix: string) => Promise<boolean> }) {
  const [text, setText] = useState('')
  return (
    <Input
      size="2xs"
      h="20px"
      w="80px"
      px="1"
      bg="sheet"
      borderColor="line"
      fontFamily="mono"
      fontSize="12px"
      placeholder="name prefix"
      _placeholder={{ color: 'faint', fontFamily: 'body' }}
      aria-label="Beginning of the chosen names"
      value={text}
      onChange={(e) => setText(e.target.value)}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Enter' && text.trim()) void onTake(text.trim()).then((ok) => ok && setText(''))
      }}
    />
  )
}
