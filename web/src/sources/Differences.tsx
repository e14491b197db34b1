import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import type { Differences as Report } from '../api/client'

/** What changed in a source, and which views each difference touches. */
export function Differences({ report }: { report: Report }) {
  const broken = new Map(report.broken.map((b) => [b.view, b.error]))
  return (
    <Box data-testid="differences" maxH="46vh" overflowY="auto">
      {report.changes.map((c, i) => (
        <Flex key={i} gap="2.5" py="1" borderBottom="1px solid" borderColor="line" align="baseline">
          <Text w="112px" flexShrink={0} color={c.takes ? 'kept' : 'folded'}>
            {c.what === 'NULL' ? 'NULL is ' + c.is : c.what}
          </Text>
          <Text w="190px" flexShrink={0} fontFamily="mono" overflowWrap="anywhere">
            {c.table}
            {c.column && `.${c.column}`}
          </Text>
          <Text w="200px" flexShrink={0} overflowWrap="anywhere">
            {c.what !== 'NULL' && [c.was, c.is].filter(Boolean).join(' → ')}
          </Text>
          <Text flex="1" minW="0">
            {c.views.length === 0 && <chakra.span color="faint">no view reads it</chakra.span>}
            {c.views.map((v, j) => (
              <chakra.span key={v}>
                {j > 0 && ', '}
                <Link to={`/view/${v.replace('.', '/')}`}>
                  <chakra.span color={broken.has(v) ? 'kept' : 'tide'} textDecoration="underline" title={broken.get(v)}>
                    {v}
                  </chakra.span>
                </Link>
                {broken.has(v) && <chakra.span color="kept"> breaks</chakra.span>}
              </chakra.span>
            ))}
          </Text>
        </Flex>
      ))}
      {report.quirks.map((q) => (
        <Text key={q.name} py="1" borderBottom="1px solid" borderColor="line">
          <chakra.span color="narrowed">Measured again:</chakra.span> {q.name} was {q.was} and is {q.is}; verdicts follow.
        </Text>
      ))}
    </Box>
  )
}
