import { Box, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { Renamed } from '../api/client'
import { ChangedLines } from './ChangedLines'

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
          <ChangedLines was={t.was} is={t.is} />
        </Box>
      ))}
    </Box>
  )
}
