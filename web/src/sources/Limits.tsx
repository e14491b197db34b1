import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type SourceInfo } from '../api/client'
import { renewed } from '../lib/views'
import { ErrorLine } from '../shell/parts'

/** What a server is asked for at a time. */
export function Limits({ source, onSaved }: { source: SourceInfo; onSaved: () => void }) {
  const [limits, setLimits] = useState({ connections: String(source.limits?.connections ?? ''), silence: String(source.limits?.silence ?? '') })
  const queries = useQueryClient()
  const save = useMutation({
    mutationFn: () => api.setLimits(source.name, { connections: Number(limits.connections), silence: Number(limits.silence) }),
    onSuccess: async () => {
      await renewed(queries)
      onSaved()
    },
  })
  return (
    <Box bg="sheet" border="1px solid" borderColor="line" borderRadius="4px" px="2" py="1" my="1" data-testid="limits">
      <form
        onSubmit={(e) => {
          e.preventDefault()
          save.mutate()
        }}
      >
        <Flex gap="2" align="center">
          <LimitInputs limits={limits} onChange={setLimits} />
          <Button ml="auto" size="2xs" type="submit" variant="outline" color="ink" bg="sheet" borderColor="line" _hover={{ bg: 'sea' }} loading={save.isPending}>
            Keep
          </Button>
        </Flex>
      </form>
      <Text color="faint">A run that waits longer for a connection, or for an answer, ends with an error that names the source.</Text>
      {save.isError && (
        <ErrorLine of={save.error} />
      )}
    </Box>
  )
}

type Typed = { connections: string; silence: string }

/** The two numbers; empty is the usual. */
export function LimitInputs({ limits, onChange }: { limits: Typed; onChange: (l: Typed) => void }) {
  const input = (label: string, name: keyof Typed, usual: string) => (
    <Input size="2xs" w="44px" flexShrink={0} bg="sheet" textAlign="right" inputMode="numeric" aria-label={label} placeholder={usual} _placeholder={{ color: 'faint' }} value={limits[name]} onChange={(e) => onChange({ ...limits, [name]: e.target.value.replace(/\D/g, '') })} />
  )
  return (
    <Flex gap="1.5" align="center" whiteSpace="nowrap" fontSize="12px">
      {input('Connections at most', 'connections', '8')} connections at most, {input('Seconds without an answer', 'silence', '300')} s of silence
    </Flex>
  )
}
