import { Box, chakra } from '@chakra-ui/react'
import { diffWordsWithSpace } from 'diff'

/** The lines in which two texts differ, with the words that do. */
export function ChangedLines({ was, is }: { was: string; is: string }) {
  // Parts are cut at line ends, and lines without a change are left out.
  const lines: { text: string; kind: '' | 'out' | 'in' }[][] = [[]]
  for (const part of diffWordsWithSpace(was, is)) {
    part.value.split('\n').forEach((text, i) => {
      if (i > 0 && !part.removed) lines.push([])
      lines[lines.length - 1]!.push({ text, kind: part.added ? 'in' : part.removed ? 'out' : '' })
    })
  }
  return (
    <Box as="pre" fontFamily="mono" m="0" px="2" bg="sheet" border="1px solid" borderColor="line" borderRadius="3px" whiteSpace="pre-wrap">
      {lines
        .filter((l) => l.some((w) => w.kind !== ''))
        .map((l, i) => (
          <chakra.span key={i} display="block">
            {l.map((w, n) => (
              <chakra.span key={n} bg={w.kind === 'in' ? 'deep' : w.kind === 'out' ? 'lit' : undefined} textDecoration={w.kind === 'out' ? 'line-through' : undefined}>
                {n === 0 ? w.text.trimStart() : w.text}
              </chakra.span>
            ))}
          </chakra.span>
        ))}
    </Box>
  )
}
