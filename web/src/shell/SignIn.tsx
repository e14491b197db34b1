import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { useState } from 'react'
import { ApiError } from '../api/client'

/** Whether the server asked for its token and did not get it. */
export const asksForToken = (e: Error) => e instanceof ApiError && e.problem.code === '28000'

/** Asks for the server's token, which the address that it prints has in it. */
export function SignIn() {
  const [token, setToken] = useState('')
  const [tried] = useState(() => new URLSearchParams(location.search).has('token'))
  return (
    <Flex h="100%" align="flex-start" justify="center" pt="18vh" px="4">
      <Box
        as="form"
        w="420px"
        onSubmit={(e) => {
          e.preventDefault()
          location.assign(`${location.pathname}?token=${encodeURIComponent(token.trim())}`)
        }}
      >
        <Flex align="center" gap="2" pb="3">
          <img src="/mark.svg" width={24} height={24} alt="" />
          <Text fontFamily="heading" fontSize="20px" fontWeight="600">
            Rovik
          </Text>
        </Flex>
        <Text pb="3">
          This server asks for its token. The address that it printed when it started brings the token along; it also stands in the file <code>token</code> of the server’s home.
        </Text>
        <Flex gap="2">
          <Input size="sm" type="password" autoFocus autoComplete="off" aria-label="Token" placeholder="Token" value={token} onChange={(e) => setToken(e.target.value)} />
          <Button size="sm" type="submit" disabled={token.trim() === ''}>
            Go on
          </Button>
        </Flex>
        {tried && (
          <Text pt="2" color="kept" role="alert">
            That is not its token.
          </Text>
        )}
      </Box>
    </Flex>
  )
}
