import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import type { Step } from '../api/client'
import { millis } from '../lib/text'

const server = ['name resolved', 'port open', 'TLS', 'sign-in', 'database', 'rights to read', 'server version', 'clock and time zone']
const files = ['path', 'files', 'rights to read']
const stepsOf: Record<string, string[]> = { postgresql: server, mariadb: server, sqlite: ['path', 'database', 'rights to read', 'server version'], parquet: files, csv: files, json: files }

/** The steps to a source, one below the other, down to the one that failed; those behind it were not taken. */
export function Steps({ kind, steps }: { kind: string; steps: Step[] }) {
  const taken = new Map(steps.map((s) => [s.name, s]))
  const names = [...new Set([...(stepsOf[kind] ?? []), ...steps.map((s) => s.name)])]
  return (
    <Box as="ol" listStyleType="none" data-testid="steps">
      {names.map((name) => {
        const s = taken.get(name)
        return (
          <Flex as="li" key={name} gap="2.5" py="1.5" borderBottom="1px solid" borderColor="line" align="baseline" data-state={s ? (s.ok ? 'ok' : 'failed') : 'not taken'}>
            <Text w="132px" flexShrink={0} fontFamily="heading" color={s ? 'ink' : 'faint'}>
              {name}
            </Text>
            <Text w="64px" flexShrink={0} fontSize="12px" fontWeight={s && !s.ok ? '600' : '400'} color={!s ? 'faint' : s.ok ? 'folded' : 'kept'}>
              {!s ? 'not yet' : s.ok ? 'done' : 'failed'}
            </Text>
            <Box flex="1" minW="0" fontSize="12px" overflowWrap="anywhere">
              {s && <Text color={s.ok ? 'ink' : 'kept'}>{s.text}</Text>}
              {s?.hint && (
                <Text color={s.ok ? 'narrowed' : 'ink'}>
                  <chakra.span color="faint">{s.ok ? 'Better: ' : 'What to do: '}</chakra.span>
                  {s.hint}
                </Text>
              )}
            </Box>
            <Text fontSize="12px" color="faint" fontVariantNumeric="tabular-nums" whiteSpace="nowrap">
              {s ? millis(s.milliseconds) : ''}
            </Text>
          </Flex>
        )
      })}
    </Box>
  )
}
