import { Box, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import type { Catalog, Piece } from '../api/client'
import { AddInput } from './AddInput'
import { Inputs } from './Inputs'
import { Outputs } from './Outputs'
import { Locked, Section } from './parts'
import { relationsFor } from './relations'
import { RowParts } from './RowParts'
import { AddRows, Union } from './Union'
import type { Said } from '../views/useSaid'
import type { Builder } from './useBuilder'
import { ErrorLine } from '../shell/parts'

interface Props {
  builder: Builder
  catalog: Catalog
  sources: string[]
  pieces: Piece[] // of the text, where they belong to it as it is
  chosen: string | null
  onChoose: (id: string | null) => void
  history: React.RefObject<{ undo: () => void; redo: () => void } | null>
  said: Said
}

/** The Builder: a query as a form of its own text. */
export function BuilderFace({ builder, catalog, sources, pieces, chosen, onChoose, history, said }: Props) {
  const { built, problem, query } = builder
  const [at, setAt] = useState(0)
  const [grouping, setGrouping] = useState<number[] | null>(null)
  const relations = useMemo(() => relationsFor(catalog, query.layer ?? '', query.view ?? ''), [catalog, query.layer, query.view])
  const form = built?.form
  const block = Math.min(at, (form?.blocks.length ?? 1) - 1)
  const own = builder.current ? pieces : []
  const key = (e: React.KeyboardEvent) => {
    if (!(e.ctrlKey || e.metaKey)) return
    const field = e.target instanceof HTMLInputElement && e.target.type === 'text'
    if (field) return
    if (e.key === 'z' && !e.shiftKey) history.current?.undo()
    else if (e.key === 'y' || (e.key === 'z' && e.shiftKey) || e.key === 'Z') history.current?.redo()
    else return
    e.preventDefault()
  }
  return (
    <Box flex="1" minH="0" overflowY="auto" overflowX="hidden" bg="sheet" data-testid="builder" data-current={builder.current} onKeyDown={key}>
      {problem && (
        <Box px="2" py="1" bg="rail" borderBottom="1px solid" borderColor="line" role="alert" data-testid="builder-problem">
          <ErrorLine of={problem} />
          {problem.hint && (
            <Text color="faint" fontSize="12px">
              {problem.hint}
            </Text>
          )}
        </Box>
      )}
      {form?.locked && <Box p="2"><Locked part={form.locked} /></Box>}
      {form && !form.locked && form.blocks.length === 0 && (
        <Section title="Inputs">
          <AddInput builder={builder} block={null} at={0} relations={relations} sources={sources} />
          <Text color="faint" fontSize="12px" mt="2">
            What you choose here becomes SQL, and what you write in the SQL appears here: it is one text.
          </Text>
        </Section>
      )}
      {form && form.with.length > 0 && (
        <Section title="Named queries">
          {form.with.map((w) => (
            <Locked key={w.start} part={w} />
          ))}
        </Section>
      )}
      {built && form && form.blocks.length > 1 && <Union builder={builder} built={built} at={block} onBlock={setAt} />}
      {built && form && form.blocks[block] && (
        <>
          <Inputs builder={builder} block={form.blocks[block]} at={block} facts={built.facts.inputs[block] ?? []} pieces={own} sources={sources} chosen={chosen} onChoose={onChoose}>
            <AddInput builder={builder} block={form.blocks[block]} at={block} relations={relations} sources={sources} />
          </Inputs>
          <Outputs
            builder={builder}
            block={form.blocks[block]}
            at={block}
            blocks={form.blocks.length}
            columns={built.facts.outputs[block] ?? []}
            inputs={built.facts.inputs[block] ?? []}
            pieces={own}
            chosen={chosen}
            onChoose={onChoose}
            onGroup={setGrouping}
            said={said}
          />
          {form.blocks[block].windows && <Box px="2"><Locked part={form.blocks[block].windows} /></Box>}
          <RowParts
            builder={builder}
            built={built}
            block={form.blocks[block]}
            at={block}
            inputs={built.facts.inputs[block] ?? []}
            outputs={built.facts.outputs[block] ?? []}
            pieces={own}
            chosen={chosen}
            onChoose={onChoose}
            grouping={grouping}
            onGrouped={() => setGrouping(null)}
          />
          <AddRows builder={builder} built={built} relations={relations} catalog={catalog} />
        </>
      )}
    </Box>
  )
}
