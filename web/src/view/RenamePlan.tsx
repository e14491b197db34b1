import { Box, chakra, Text } from '@chakra-ui/react'
import { diffWordsWithSpace } from 'diff'
import { Link } from 'react-router'
import type { Renamed } from '../api/client'

/** What a change of names does to every text, word by word. */
export function RenamePlan({ plan }: { plan: Renamed }) {
  const follow = plan.columns.slice(1)
  return (
    <Box fontSize="12px" data-testid="rename-plan">
      <Text color="faint">
        {plan.texts.length === 0 ? 'No text has to change.' : plan.texts.length === 1 ? '1 text changes.' : `${plan.texts.length} texts change.`}
        {plan.moves.length > 1 && ` ${plan.moves.length} views have another name.`}
        {follow.length > 0 && ` The new name is passed on by ${follow.map((c) => c.slice(0, c.lastIndexOf('.'))).join(', ')}.`} Every view gives the rows that it gave before.
      </Text>
      {plan.texts.map((t) => (
        <Box key={t.view} mt="1">
          <Text fontFamily="mono">
            <Link to={`/view/${t.view.replace('.', '/')}`}>
              <Box as="span" color="tide">
                {t.view}
              </Box>
            </Link>
            {t.note && (
              <Box as="span" color="narrowed" fontFamily="body">
                {' '}
                {t.note}
              </Box>
            )}
          </Text>
          <Lines was={t.was} is={t.is} />
        </Box>
      ))}
    </Box>
  )
}

/** The lines in which two texts differ, with the words that do. */
function Lines({ was, is }: { was: string; is: string }) {
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
