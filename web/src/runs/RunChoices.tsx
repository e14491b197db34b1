import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { useMemo, useState } from 'react'
import type { RunStatus } from '../api/client'
import { count, duration } from '../lib/text'

const key = 'rovik-run-choices'
const limits = [0, 60, 600, 3600, 86400]

/** How long a run may take, and whether it goes on without this page; remembered. */
export function useRunChoices() {
  const [kept, setKept] = useState<{ limit: number; goesOn: boolean }>(() => {
    try {
      const read = JSON.parse(localStorage.getItem(key) ?? '{}') as { limit?: number; goesOn?: boolean }
      return { limit: limits.includes(read.limit ?? 0) ? (read.limit ?? 0) : 0, goesOn: read.goesOn === true }
    } catch {
      return { limit: 0, goesOn: false }
    }
  })
  const choose = (to: typeof kept) => {
    localStorage.setItem(key, JSON.stringify(to))
    setKept(to)
  }
  const asked = useMemo(() => ({ limit: kept.limit || undefined, goesOn: kept.goesOn || undefined }), [kept])
  return { kept, choose, asked }
}

/** The choices for the next run. */
export function RunChoices({ kept, choose }: ReturnType<typeof useRunChoices>) {
  return (
    <Flex as="form" align="center" gap="2" ml="auto" flexShrink={0} fontSize="11px">
      <Box as="label" display="flex" gap="1" alignItems="center">
        stop after
        <chakra.select aria-label="Time limit of a run" h="18px" bg="sheet" color="ink" border="1px solid" borderColor="line" borderRadius="3px" fontSize="11px" value={kept.limit} onChange={(e) => choose({ ...kept, limit: Number(e.target.value) })}>
          {limits.map((l) => (
            <option key={l} value={l}>
              {l === 0 ? 'the usual time' : duration(l)}
            </option>
          ))}
        </chakra.select>
      </Box>
      <Box as="label" display="flex" gap="1" alignItems="center" title="Otherwise a run is stopped at its sources once this page is left">
        <input type="checkbox" checked={kept.goesOn} onChange={(e) => choose({ ...kept, goesOn: e.target.checked })} />
        go on when I leave
      </Box>
    </Flex>
  )
}

/** How long a run has waited, behind how many, and for what, or that in its title alone. */
export function Place({ of, short }: { of: NonNullable<RunStatus['place']>; short?: boolean }) {
  return (
    <Text truncate title={`for ${of.for}`}>
      {duration(Math.floor(of.milliseconds / 1000))}
      {!short && ` for ${of.for}`}
      {of.before > 0 ? `, behind ${count(of.before)}` : ', next'}
    </Text>
  )
}
