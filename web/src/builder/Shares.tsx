import { Box, Flex, Text } from '@chakra-ui/react'
import { useState } from 'react'
import type { JoinMeasure, Meeting } from '../api/client'
import { count } from '../lib/text'

/** The share of rows that find a partner, never rounded up to all. */
export function percent(m: Meeting): string {
  if (m.rows === 0) return 'none'
  const p = (100 * m.meetRows) / m.rows
  if (m.meetRows === m.rows) return '100%'
  return `${Math.min(p, 99.9).toFixed(1)}%`
}

/** How many rows of each side of a join find a partner, and which values do not. */
export function Shares({ measure: m }: { measure: JoinMeasure }) {
  return (
    <Box fontSize="11px" color="faint" data-testid="shares">
      <Share of={m.leftOf} meeting={m.left} other={m.rightOf} />
      <Share of={m.rightOf} meeting={m.right} other={m.leftOf} />
    </Box>
  )
}

function Share({ of, meeting: m, other }: { of: string; meeting: Meeting; other: string }) {
  const [open, setOpen] = useState(false)
  const alone = m.values - m.meet
  return (
    <>
      <Text>
        <Box as="span" color="ink" fontVariantNumeric="tabular-nums">
          {percent(m)}
        </Box>{' '}
        of {of} meet{other && ` a ${other}`}
        {m.whole ? '' : ', by a sample of the values'}
        {m.unique ? ', each value once' : ''}
        {alone > 0 && (
          <>
            {'; '}
            <Box as="button" color="tide" textDecoration="underline dotted" aria-expanded={open} onClick={() => setOpen(!open)}>
              {count(alone)} {alone === 1 ? 'value does' : 'values do'} not
            </Box>
          </>
        )}
      </Text>
      {open && (
        <Box maxH="110px" overflowY="auto" border="1px solid" borderColor="line" bg="sheet" px="2" py="0.5" my="0.5" title={`No ${other} is equal to these`} data-testid="alone">
          {m.alone.map((v) => (
            <Flex key={v.value} gap="3" fontFamily="mono">
              <Text flex="1" whiteSpace="pre">
                {(v.value ?? 'NULL').replace(/^ +| +$/g, (s) => '␣'.repeat(s.length))}
              </Text>
              <Text fontVariantNumeric="tabular-nums">{count(v.rows)} rows</Text>
            </Flex>
          ))}
          {alone > m.alone.length && <Text>and {count(alone - m.alone.length)} more</Text>}
        </Box>
      )}
    </>
  )
}
