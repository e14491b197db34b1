import { Box, Button, chakra, Flex, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { Built, Catalog, FormColumn } from '../api/client'
import { Field, Section, select, small, tiny } from './parts'
import { columnsOf, type Relation } from './relations'
import type { Builder } from './useBuilder'

const cell = { px: '1', py: '0', fontSize: '12px', borderBottom: '1px solid', borderColor: 'line', verticalAlign: 'top' } as const
const head = { ...cell, color: 'faint', fontSize: '11px', fontWeight: '400', textAlign: 'left' } as const

/** Rows of several inputs under the names of the first, column by column. */
export function Union({ builder, built, at, onBlock }: { builder: Builder; built: Built; at: number; onBlock: (i: number) => void }) {
  const { blocks, union } = built.form
  const columns = (b: number, i: number): FormColumn | undefined => built.facts.outputs[b]?.[i]?.[0]
  return (
    <Section title="Union" aside={union === 'union' ? 'UNION: duplicates removed' : 'UNION ALL: all rows'}>
      <Box overflowX="auto">
        <chakra.table w="100%" borderCollapse="collapse" data-testid="matching">
          <thead>
            <tr>
              <chakra.th {...head}>column</chakra.th>
              {blocks.map((b, i) => (
                <chakra.th key={i} {...head}>
                  <Flex align="center" gap="1">
                    <Button {...small} h="18px" aria-pressed={i === at} bg={i === at ? 'deep' : 'sheet'} title="Show this one below" onClick={() => onBlock(i)}>
                      {b.inputs[0]?.name || `part ${i + 1}`}
                    </Button>
                    <Button {...tiny} aria-label={`Take the rows of ${b.inputs[0]?.name} out`} title="Take these rows out" onClick={() => void builder.edit({ do: 'remove block', block: i }).then((ok) => ok && onBlock(0))}>
                      ×
                    </Button>
                  </Flex>
                </chakra.th>
              ))}
            </tr>
          </thead>
          <tbody>
            {blocks[0]!.outputs.map((o, i) => {
              const types = new Set(blocks.map((b, n) => (/^null$/i.test(b.outputs[i]?.expr.text ?? '') ? '' : columns(n, i)?.type)).filter(Boolean))
              return (
                <tr key={i}>
                  <chakra.td {...cell} fontFamily="mono">
                    {columns(0, i)?.name ?? o.name}
                  </chakra.td>
                  {blocks.map((b, n) => {
                    const out = b.outputs[i]
                    const gap = /^null$/i.test(out?.expr.text ?? '')
                    return (
                      <chakra.td key={n} {...cell}>
                        <Field label={`Column ${i + 1} of part ${n + 1}`} w="100%" value={out?.expr.text ?? ''} color={gap ? 'narrowed' : undefined} onCommit={(text) => builder.edit({ do: 'set output', block: n, at: i, text: text || 'NULL', name: out?.name ?? '' })} />
                        <Text px="1" fontSize="10px" lineHeight="11px" color={types.size > 1 || gap ? 'narrowed' : 'faint'}>
                          {gap ? 'a gap' : columns(n, i)?.type}
                        </Text>
                      </chakra.td>
                    )
                  })}
                </tr>
              )
            })}
          </tbody>
        </chakra.table>
      </Box>
    </Section>
  )
}

/** Puts the rows of another relation under those that are there, its columns matched by name. */
export function AddRows({ builder, built, relations, catalog }: { builder: Builder; built: Built; relations: Relation[]; catalog: Catalog }) {
  const [name, setName] = useState<string | null>(null)
  const [match, setMatch] = useState<string[]>([])
  const outputs = built.facts.outputs[0] ?? []
  const starred = built.form.blocks[0]?.outputs.some((o) => o.star)
  const [cols, setCols] = useState<{ name: string; type: string }[]>([])
  const plain = (s: string) => s.toLowerCase().replace(/[^a-z0-9]/g, '')
  const choose = async (chosen: string) => {
    setName(chosen)
    const cols = await columnsOf(catalog, chosen)
    setCols(cols)
    setMatch(outputs.map((o) => cols.find((c) => plain(c.name) === plain(o[0]?.name ?? ''))?.name ?? ''))
  }
  if (name === null)
    return (
      <Box px="2" py="1">
        <Button {...tiny} color="tide" px="0" disabled={starred} title={starred ? 'Write * out first: columns are matched one by one' : 'Such as archived rows under the same names'} onClick={() => setName('')}>
          Union with…
        </Button>
      </Box>
    )
  return (
    <Box m="2" p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" fontSize="12px" data-testid="add-rows">
      <Flex gap="2" align="center">
        Rows of
        <chakra.select {...select} aria-label="Rows of" value={name} onChange={(e) => void choose(e.target.value)}>
          <option value="">choose…</option>
          {relations.map((r) => (
            <option key={r.name}>{r.name}</option>
          ))}
        </chakra.select>
        <Button {...tiny} ml="auto" onClick={() => setName(null)}>
          Cancel
        </Button>
      </Flex>
      {cols.length > 0 && (
        <>
          <chakra.table w="100%" my="1" borderCollapse="collapse">
            <tbody>
              {outputs.map((o, i) => {
                const type = cols.find((c) => c.name === match[i])?.type
                return (
                  <tr key={i}>
                    <chakra.td {...cell} fontFamily="mono">
                      {o[0]?.name}
                      <Box as="span" color="faint">
                        {' '}
                        {o[0]?.type}
                      </Box>
                    </chakra.td>
                    <chakra.td {...cell}>
                      <chakra.select {...select} aria-label={`What stands for ${o[0]?.name}`} color={match[i] ? undefined : 'narrowed'} value={match[i]} onChange={(e) => setMatch(match.map((m, n) => (n === i ? e.target.value : m)))}>
                        <option value="">a gap: NULL</option>
                        {cols.map((c) => (
                          <option key={c.name}>{c.name}</option>
                        ))}
                      </chakra.select>
                    </chakra.td>
                    <chakra.td {...cell} color={type && type !== o[0]?.type ? 'narrowed' : 'faint'}>
                      {type}
                    </chakra.td>
                  </tr>
                )
              })}
            </tbody>
          </chakra.table>
          <Button {...small} color="folded" onClick={() => builder.edit({ do: 'add block', name, names: match }).then((ok) => ok && setName(null))}>
            Add the union
          </Button>
        </>
      )}
    </Box>
  )
}
