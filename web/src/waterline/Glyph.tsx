import { chakra } from '@chakra-ui/react'
import type { Verdict } from '../api/client'

/** A verdict as where it stands to the waterline: below, on it, or above. */
export function Glyph({ verdict, size = 13 }: { verdict: Verdict; size?: number }) {
  const y = { folded: 11.5, narrowed: 8, kept: 4.5 }[verdict]
  return (
    <chakra.svg viewBox="0 0 16 16" width={`${size}px`} height={`${size}px`} color={verdict} flexShrink={0} role="img" aria-label={verdict}>
      <path d="M1 8h14" stroke="currentColor" strokeWidth="1.2" opacity={verdict === 'narrowed' ? 1 : 0.6} />
      <circle cx="8" cy={y} r="3.1" fill={verdict === 'narrowed' ? 'var(--chakra-colors-sheet)' : 'currentColor'} stroke="currentColor" strokeWidth="1.5" />
    </chakra.svg>
  )
}
