import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { isNumeric, middle } from '../lib/text'
import type { Trial } from './shapes'

/** The rows that a shape makes of the chosen record. */
export function ShapeRows({ made, stale, record }: { made?: Trial['tables'][number]; stale: boolean; record: number }) {
  const rows = made?.rows ?? []
  return (
    <Flex direction="column" h="232px" flexShrink={0} borderTop="1px solid" borderColor="line" bg="sea">
      <Text px="3" py="1" fontSize="12px">
        {made ? `Record ${record} becomes ${rows.length}${made.more ? ' and more' : ''} ${rows.length === 1 ? 'row' : 'rows'} of ${made.name}` : 'The rows of the record'}
      </Text>
      <Box flex="1" minH="0" overflow="auto" mx="3" mb="2" border="1px solid" borderColor="line" bg="sheet" opacity={stale ? 0.55 : 1}>
        {made && (
          <chakra.table fontSize="12px" borderCollapse="collapse" data-testid="shape-rows">
            <thead>
              <tr>
                {made.columns.map((c) => (
                  <chakra.th key={c.name} px="2" py="0.5" position="sticky" top="0" bg="sheet" borderBottom="1px solid" borderColor="line" textAlign={isNumeric(c.type) ? 'right' : 'left'} whiteSpace="nowrap" fontWeight="600" title={c.type}>
                    {middle(c.name, 26)}
                  </chakra.th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.map((row, i) => (
                <tr key={i}>
                  {row.map((cell, j) => (
                    <chakra.td key={j} px="2" h="20px" whiteSpace="nowrap" textAlign={isNumeric(made.columns[j]?.type ?? '') ? 'right' : 'left'} fontVariantNumeric="tabular-nums" title={cell ?? 'NULL'}>
                      {cell === null ? <chakra.span color="faint">NULL</chakra.span> : cell === '' ? <chakra.span color="faint">empty</chakra.span> : middle(cell, 40)}
                    </chakra.td>
                  ))}
                </tr>
              ))}
            </tbody>
          </chakra.table>
        )}
        {made && rows.length === 0 && (
          <Text px="2" py="1" fontSize="12px" color="faint">
            No row: the record has nothing at this path.
          </Text>
        )}
      </Box>
    </Flex>
  )
}
