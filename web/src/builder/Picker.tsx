import { Box, Button, chakra, Flex, Input, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { FormBlock, FormColumn, InputFacts } from '../api/client'
import { Field, small } from './parts'
import type { Builder } from './useBuilder'

/** Takes columns of the inputs, all or some, or an expression over them. */
export function Picker({ builder, block, at, inputs, taken, onClose }: { builder: Builder; block: FormBlock; at: number; inputs: InputFacts[]; taken: FormColumn[]; onClose: () => void }) {
  const [words, setWords] = useState('')
  const [chosen, setChosen] = useState<string[]>([])
  const has = new Set(taken.map((c) => c.sql))
  const names = new Set(taken.map((c) => c.name))
  const add = async (columns: FormColumn[]) => {
    const used = new Set(names)
    const edits = columns.map((c) => {
      const name = used.has(c.name) ? c.sql.replace(/"/g, '').replace('.', '_') : ''
      used.add(name || c.name)
      return { do: 'add output', block: at, at: -1, text: c.sql, name }
    })
    if (edits.length > 0 && (await builder.edit(...edits))) onClose()
  }
  const all = inputs.flatMap((f) => f.columns)
  return (
    <Box mb="1" p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" data-testid="picker" onKeyDown={(e) => e.key === 'Escape' && onClose()}>
      <Flex gap="2" mb="1">
        <Input size="2xs" h="22px" bg="sheet" borderColor="line" autoFocus aria-label="Narrow the columns" placeholder="narrow" value={words} onChange={(e) => setWords(e.target.value)} />
        <Button {...small} disabled={chosen.length === 0} onClick={() => add(all.filter((c) => chosen.includes(c.sql)))}>
          Add {chosen.length || ''}
        </Button>
      </Flex>
      <Box maxH="150px" overflowY="auto">
        {inputs.map((f, i) => {
          const rest = f.columns.filter((c) => !has.has(c.sql) && c.name.includes(words.toLowerCase()))
          if (rest.length === 0) return null
          return (
            <Box key={i} mb="1">
              <Flex align="center" gap="2" fontSize="11px" color="faint">
                {block.inputs[i]?.name || block.inputs[i]?.alias}
                <Button {...small} h="17px" onClick={() => add(rest)}>
                  Add all {rest.length}
                </Button>
              </Flex>
              <Flex wrap="wrap" columnGap="3">
                {rest.map((c) => (
                  <chakra.label key={c.sql} display="flex" alignItems="center" gap="1" fontFamily="mono" fontSize="12px" title={c.type}>
                    <input type="checkbox" checked={chosen.includes(c.sql)} onChange={() => setChosen((s) => (s.includes(c.sql) ? s.filter((x) => x !== c.sql) : [...s, c.sql]))} />
                    {c.name}
                  </chakra.label>
                ))}
              </Flex>
            </Box>
          )
        })}
      </Box>
      <Flex align="center" gap="1.5">
        <Text fontSize="11px" color="faint" whiteSpace="nowrap">
          or an expression
        </Text>
        <Field label="New expression" value="" flex="1" bg="sheet" borderColor="line" placeholder="coalesce(n.insured_value, 0)" onCommit={(text) => text && void builder.edit({ do: 'add output', block: at, at: -1, text }).then((ok) => ok && onClose())} />
      </Flex>
    </Box>
  )
}
