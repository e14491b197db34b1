import { Button, Grid, Input, Text } from '@chakra-ui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Fragment, useMemo, useState } from 'react'
import { api } from '../api/client'
import { isNumeric } from '../lib/text'
import { small } from '../shell/parts'

/** The most fields that are offered. */
const most = 100

/** What the parameters of a query stand for, from $1 on; null is NULL. */
export function useParameters(sql: string) {
  // Their number is known from the text while it cannot be read, so that fields stay and the error is the text's own.
  const named = useMemo(() => Math.min(most, Math.max(0, ...[...sql.matchAll(/\$(\d+)/g)].map((m) => Number(m[1])))), [sql])
  const asks = named > 0
  const types = useQuery({ queryKey: ['parameters', sql], queryFn: ({ signal }) => api.parameters({ sql }, signal), enabled: asks, placeholderData: keepPreviousData, staleTime: 60_000, retry: false })
  const [given, setGiven] = useState<(string | null)[]>([])
  const read = types.isPlaceholderData || types.isError ? undefined : types.data
  const known = useMemo(() => (asks ? (read ?? Array.from({ length: named }, (_, i) => types.data?.[i] ?? '')) : []), [asks, read, named, types.data])
  const values = useMemo(() => known.map((_, i) => given[i] ?? null), [known, given])
  const set = (at: number, value: string | null) => setGiven((old) => Array.from({ length: Math.max(old.length, at + 1) }, (_, i) => (i === at ? value : (old[i] ?? null))))
  return { types: known, values, set }
}

/** A field for each parameter, under the text. */
export function Parameters({ of: { types, values, set } }: { of: ReturnType<typeof useParameters> }) {
  if (types.length === 0) return null
  return (
    <Grid templateColumns="auto auto 1fr auto" alignItems="center" columnGap="2" rowGap="1" px="3" py="1.5" fontSize="12px" borderTop="1px solid" borderColor="line" bg="sheet" maxH="132px" overflow="auto" flexShrink={0} data-testid="parameters">
      {types.map((type, i) => (
        <Fragment key={i}>
          <Text fontFamily="mono">${i + 1}</Text>
          <Text color="faint" fontSize="11px" data-type={i + 1}>
            {type}
          </Text>
          <Input size="2xs" fontFamily="mono" bg="paper" borderColor="line" _placeholder={{ color: 'faint' }} aria-label={`$${i + 1}`} textAlign={isNumeric(type) ? 'right' : 'left'} placeholder="NULL" value={values[i] ?? ''} onChange={(e) => set(i, e.target.value)} />
          <Button {...small} disabled={values[i] === null} title={`Make $${i + 1} NULL`} onClick={() => set(i, null)}>
            NULL
          </Button>
        </Fragment>
      ))}
    </Grid>
  )
}
