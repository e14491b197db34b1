// What all pages share: buttons, the line that says what went wrong, and the head of a table.
import { chakra, Text, type TextProps } from '@chakra-ui/react'
import type { ReactNode } from 'react'
import { ApiError, type Problem } from '../api/client'

const hover = { bg: 'sea' }

/** Buttons by size: framed ones for what a page offers, bare ones beside them. */
export const quiet = { size: 'xs', variant: 'outline', color: 'ink', bg: 'sheet', borderColor: 'line', _hover: hover } as const
export const small = { size: '2xs', variant: 'outline', color: 'ink', bg: 'sheet', borderColor: 'line', _hover: hover } as const
export const bare = { size: 'xs', variant: 'ghost', color: 'ink', _hover: hover } as const

/** What went wrong, and what to do about it. */
export function ErrorLine({ of, ...text }: TextProps & { of: Error | Problem }) {
  const problem = of instanceof ApiError ? of.problem : of instanceof Error ? null : of
  return (
    <Text color="kept" fontSize="12px" role="alert" {...text}>
      {of.message}
      {problem?.hint && ` — ${problem.hint}`}
    </Text>
  )
}

/** The head of a table: a name for each column; those of numbers stand to the right. */
export function Head({ names, numbers = [], sticky }: { names: readonly ReactNode[]; numbers?: readonly number[]; sticky?: string }) {
  return (
    <thead>
      <tr>
        {names.map((name, i) => (
          <chakra.th key={i} px="2" py="0.5" fontWeight="400" fontSize="11px" color="faint" whiteSpace="nowrap" textAlign={numbers.includes(i) ? 'right' : 'left'} position={sticky ? 'sticky' : undefined} top={sticky ? '0' : undefined} bg={sticky} zIndex={sticky ? 1 : undefined} borderBottom="1px solid" borderColor="line">
            {name}
          </chakra.th>
        ))}
      </tr>
    </thead>
  )
}
