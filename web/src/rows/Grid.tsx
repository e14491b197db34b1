import { Box, Flex, Text } from '@chakra-ui/react'
import { useQueries } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef } from 'react'
import { api, type Column } from '../api/client'
import { count, isNumeric } from '../lib/text'

const page = 200
const rowHeight = 22


function widthOf(c: Column): number {
  const byType = isNumeric(c.type) ? 96 : c.type === 'date' ? 92 : c.type.startsWith('timestamp') ? 176 : c.type === 'boolean' ? 68 : 168
  return Math.max(byType, c.name.length * 7.4 + 22)
}

/** Rows of a run, fetched as they come into sight. */
export function Grid({ run, columns, held, settled }: { run: string; columns: Column[]; held: number; settled: boolean }) {
  const box = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({ count: held, getScrollElement: () => box.current, estimateSize: () => rowHeight, overscan: 12 })
  const items = rows.getVirtualItems()
  const first = Math.floor((items[0]?.index ?? 0) / page)
  const last = Math.floor((items[items.length - 1]?.index ?? 0) / page)
  const wanted = held === 0 ? [] : Array.from({ length: last - first + 1 }, (_, i) => first + i)
  const pages = useQueries({
    queries: wanted.map((p) => {
      // A page that is not full yet is asked for again when more has come.
      const have = Math.min(page, held - p * page)
      return { queryKey: ['rows', run, p, have < page && !settled ? held : have], queryFn: () => api.rows(run, p * page, page), staleTime: Infinity, gcTime: 60_000 }
    }),
  })
  const widths = columns.map(widthOf)
  const total = widths.reduce((a, b) => a + b, 56)
  return (
    <Box ref={box} h="100%" overflow="auto" bg="sheet" data-testid="grid" tabIndex={0} aria-label="Rows">
      <Box minW="100%" style={{ width: total }}>
        <Flex position="sticky" top="0" zIndex={1} bg="rail" borderBottom="1px solid" borderColor="line" h="36px" align="center" fontSize="12px">
          <Box w="56px" flexShrink={0} />
          {columns.map((c, i) => (
            <Box key={i} flexShrink={0} px="2" style={{ width: widths[i] }} textAlign={isNumeric(c.type) ? 'right' : 'left'} title={`${c.name} (${c.type})`}>
              <Text fontWeight="600" truncate>
                {c.name}
              </Text>
              <Text fontSize="10.5px" color="faint" truncate lineHeight="1">
                {c.type}
              </Text>
            </Box>
          ))}
        </Flex>
        <Box position="relative" style={{ height: rows.getTotalSize() }}>
          {items.map((item) => {
            const cells = pages[Math.floor(item.index / page) - first]?.data?.[item.index % page]
            return (
              <Flex key={item.key} position="absolute" left="0" right="0" h={`${rowHeight}px`} align="center" fontSize="12px" borderBottom="1px solid" borderColor="color-mix(in srgb, var(--chakra-colors-line) 45%, transparent)" style={{ top: item.start }}>
                <Text w="56px" flexShrink={0} pr="2" textAlign="right" color="faint" fontSize="11px" fontVariantNumeric="tabular-nums">
                  {count(item.index + 1)}
                </Text>
                {columns.map((c, i) => {
                  const v = cells?.[i]
                  return (
                    <Text key={i} flexShrink={0} px="2" truncate style={{ width: widths[i] }} textAlign={isNumeric(c.type) ? 'right' : 'left'} fontVariantNumeric="tabular-nums" title={v ?? 'NULL'} color={v === null ? 'faint' : undefined} fontStyle={v === null ? 'italic' : undefined}>
                      {cells === undefined ? '…' : v === null ? 'null' : v}
                    </Text>
                  )
                })}
              </Flex>
            )
          })}
        </Box>
      </Box>
    </Box>
  )
}
