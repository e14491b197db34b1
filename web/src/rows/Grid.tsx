import { Box, Flex, Text } from '@chakra-ui/react'
import { useQueries } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState } from 'react'
import { api, type Column } from '../api/client'
import { count, isNumeric } from '../lib/text'
import { type Range, useCells } from './useCells'

const page = 200
const rowHeight = 22
const side = 56 // of the row numbers
const digit = 7.7 // pixels that a digit takes
const letter = 6.9

/** What a column needs for its name and type, before any value is known. */
const headWidth = (c: Column) => Math.max(c.name.length * 8.1, c.type.length * 6.2) + 18

/** What a column needs for a value: numbers whole, other values up to a bound. */
function valueWidth(c: Column, value: string | null): number {
  if (value === null) return 44
  if (isNumeric(c.type)) return value.length * digit + 18
  return Math.min(value.length * (/^(date|time)/.test(c.type) ? digit : letter) + 18, 340)
}

/** Rows of a run, fetched as they come into sight; cells are chosen and copied. */
export function Grid({ run, columns, held, settled }: { run: string; columns: Column[]; held: number; settled: boolean }) {
  const box = useRef<HTMLDivElement>(null)
  const rows = useVirtualizer({ count: held, getScrollElement: () => box.current, estimateSize: () => rowHeight, overscan: 12, scrollPaddingStart: 36 })
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
  const widths = useWidths(run, columns, pages.map((p) => p.data))
  const total = widths.reduce((a, b) => a + b, side)
  const left = (column: number) => widths.slice(0, column).reduce((a, b) => a + b, side)
  const cells = useCells({
    run,
    columns,
    held,
    onMove: (row, column) => {
      rows.scrollToIndex(row, { align: 'auto' })
      const el = box.current
      if (!el) return
      const x = left(column)
      if (x - side < el.scrollLeft) el.scrollLeft = x - side
      else if (x + widths[column]! > el.scrollLeft + el.clientWidth) el.scrollLeft = x + widths[column]! - el.clientWidth
    },
  })
  return (
    <Box position="relative" h="100%">
      <Box ref={box} h="100%" overflow="auto" bg="sheet" data-testid="grid" tabIndex={0} role="grid" aria-label="Rows" aria-rowcount={held} onKeyDown={cells.key}>
        <Box minW="100%" style={{ width: total }}>
          <Flex position="sticky" top="0" zIndex={1} bg="rail" borderBottom="1px solid" borderColor="line" h="36px" align="center" fontSize="12px">
            <Box w={`${side}px`} flexShrink={0} />
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
          <Box position="relative" userSelect="none" style={{ height: rows.getTotalSize() }}>
            {items.map((item) => {
              const values = pages[Math.floor(item.index / page) - first]?.data?.[item.index % page]
              return (
                <Flex key={item.key} role="row" aria-rowindex={item.index + 1} position="absolute" left="0" right="0" h={`${rowHeight}px`} align="center" fontSize="12px" borderBottom="1px solid" borderColor="color-mix(in srgb, var(--chakra-colors-line) 45%, transparent)" style={{ top: item.start }}>
                  <Text w={`${side}px`} flexShrink={0} pr="2" textAlign="right" color="faint" fontSize="11px" fontVariantNumeric="tabular-nums" onMouseDown={(e) => cells.press(e, item.index, -1)}>
                    {count(item.index + 1)}
                  </Text>
                  {columns.map((c, i) => {
                    const v = values?.[i]
                    return (
                      <Text
                        key={i}
                        role="gridcell"
                        flexShrink={0}
                        px="2"
                        h="100%"
                        lineHeight={`${rowHeight - 1}px`}
                        truncate
                        style={{ width: widths[i] }}
                        textAlign={isNumeric(c.type) ? 'right' : 'left'}
                        fontVariantNumeric="tabular-nums"
                        title={v ?? 'NULL'}
                        color={v === null ? 'faint' : undefined}
                        fontStyle={v === null ? 'italic' : undefined}
                        bg={within(cells.range, item.index, i) ? 'deep' : undefined}
                        aria-selected={within(cells.range, item.index, i)}
                        onMouseDown={(e) => cells.press(e, item.index, i)}
                        onMouseEnter={(e) => e.buttons === 1 && cells.extend(item.index, i)}
                      >
                        {values === undefined ? '…' : v === null ? 'null' : v}
                      </Text>
                    )
                  })}
                </Flex>
              )
            })}
          </Box>
        </Box>
      </Box>
      {cells.said && (
        <Text position="absolute" right="14px" bottom="8px" px="2" fontSize="11px" bg="rail" border="1px solid" borderColor="line" borderRadius="3px" role="status">
          {cells.said}
        </Text>
      )}
    </Box>
  )
}

const within = (r: Range | null, row: number, column: number) => r !== null && row >= r.top && row <= r.bottom && column >= r.left && column <= r.right

/** The width of each column, by its head and by the values that were seen of the run: they only grow. */
function useWidths(run: string, columns: Column[], pages: ((string | null)[][] | undefined)[]): number[] {
  const [known, setKnown] = useState<{ run: string; widths: number[] }>({ run: '', widths: [] })
  const was = known.run === run && known.widths.length === columns.length ? known.widths : columns.map(headWidth)
  const needed = [...was]
  for (const rows of pages) {
    for (const row of rows ?? []) {
      row.forEach((v, i) => {
        if (i < columns.length) needed[i] = Math.max(needed[i]!, valueWidth(columns[i]!, v))
      })
    }
  }
  if (known.run !== run || needed.some((w, i) => w > was[i]!)) setKnown({ run, widths: needed })
  return needed
}
