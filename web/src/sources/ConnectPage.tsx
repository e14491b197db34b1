import { Box, Button, chakra, Flex, Input, NativeSelect, Text } from '@chakra-ui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { useNavigate } from 'react-router'
import { Title } from '../shell/Title'
import { api, type NewSource } from '../api/client'
import { renewed } from '../lib/views'
import { LimitInputs } from './Limits'
import { products } from './products'
import { Steps } from './Steps'
import { ErrorLine, quiet } from '../shell/parts'

const kinds = [
  { kind: 'postgresql', says: 'a database server', port: '5432' },
  { kind: 'mariadb', says: 'MariaDB or MySQL', port: '3306' },
  { kind: 'sqlite', says: 'a database in one file', port: '' },
  { kind: 'document', says: 'a server of the BSON protocol', port: '27017' },
  { kind: 'parquet', says: 'a file, or a folder of them', port: '' },
  { kind: 'csv', says: 'a file, or a folder of them', port: '' },
  { kind: 'json', says: 'records, a line each or in an array', port: '' },
  { kind: 'xml', says: 'records as elements', port: '' },
] as const

const tlsModes = [
  ['prefer', 'where the server can'],
  ['require', 'always, any certificate'],
  ['verify', 'always, the certificate is checked'],
  ['off', 'never'],
] as const

const passwordKinds = [
  ['kept', 'kept here, encrypted'],
  ['env', 'in an environment variable'],
  ['file', 'in a file'],
] as const

/** Connects a source: a form fitted to its kind beside the steps that trying it takes. */
export function ConnectPage() {
  const [kind, setKind] = useState('postgresql')
  const [connection, setConnection] = useState('')
  const [form, setForm] = useState({ name: '', host: '127.0.0.1', port: '', database: '', user: '', password: '', tls: '', ca: '', path: '' })
  const [limits, setLimits] = useState({ connections: '', silence: '' })
  const [passwordIs, setPasswordIs] = useState('kept')
  const queries = useQueryClient()
  const navigate = useNavigate()
  const set = (field: keyof typeof form) => (e: React.ChangeEvent<HTMLInputElement | HTMLSelectElement>) => setForm({ ...form, [field]: e.target.value })
  const chosen = kinds.find((k) => k.kind === kind)!
  const server = chosen.port !== ''
  const here = ['127.0.0.1', 'localhost', '::1'].includes(form.host)
  const checks = form.tls === 'verify' || (form.tls === '' && !here)

  const source = (): NewSource => {
    const { name, host, port, database, user, password, tls, ca, path } = form
    const bounds = { connections: Number(limits.connections), silence: Number(limits.silence) }
    if (connection.trim()) return { name, connection, config: { limits: bounds } }
    if (!server) return { name, kind, config: { path } }
    const config = { host, port: Number(port || chosen.port), database, user, tls, limits: bounds, ...(checks && ca ? { ca } : {}) }
    if (passwordIs === 'kept') return { name, kind, config, password }
    return { name, kind, config: { ...config, secret: `${passwordIs}:${password}` } }
  }
  const attempt = useMutation({ mutationFn: () => api.trySource(source()) })
  const connect = useMutation({
    mutationFn: async () => {
      const steps = await attempt.mutateAsync()
      if (steps.some((s) => !s.ok)) return null
      return api.connectSource(source())
    },
    onSuccess: async (s) => {
      if (!s) return
      await renewed(queries)
      void navigate(`/sources/${s.name}`)
    },
  })
  const error = connect.error ?? attempt.error
  const triedKind = connection.trim() ? '' : kind

  const line = (label: string, field: keyof typeof form, extra?: React.ComponentProps<typeof Input>) => (
    <Line label={label}>
      <Input size="xs" bg="sheet" aria-label={label} value={form[field]} onChange={set(field)} _placeholder={{ color: 'faint' }} autoComplete="off" spellCheck={false} {...extra} />
    </Line>
  )
  return (
    <Flex direction="column" h="100%">
      <Flex h="44px" px="3" align="center" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Title>
          Connect a source
        </Title>
      </Flex>
      <Flex flex="1" minH="0">
        <Box
          as="form"
          w="452px"
          flexShrink={0}
          borderRight="1px solid"
          borderColor="line"
          overflowY="auto"
          p="3"
          onSubmit={(e: React.FormEvent) => {
            e.preventDefault()
            connect.mutate()
          }}
        >
          {line('Name', 'name', { autoFocus: true, placeholder: 'what queries call it: lower case, digits and _' })}
          <Line label="Connection string">
            <Input size="xs" bg="sheet" aria-label="Connection string" placeholder="paste one here, or fill in what is below" autoComplete="off" spellCheck={false} _placeholder={{ color: 'faint' }} value={connection} onChange={(e) => setConnection(e.target.value)} />
          </Line>
          <chakra.fieldset border="0" p="0" m="0" disabled={connection.trim() !== ''} opacity={connection.trim() ? 0.45 : 1}>
            <Line label="Kind">
              <Box role="radiogroup" aria-label="Kind" border="1px solid" borderColor="line" borderRadius="4px" bg="sheet" overflow="hidden">
                {kinds.map((k) => (
                  <chakra.label key={k.kind} display="flex" alignItems="center" gap="2" px="2" py="0.5" cursor="pointer" bg={k.kind === kind ? 'sea' : undefined} _hover={{ bg: 'sea' }}>
                    <chakra.input type="radio" name="kind" accentColor="var(--chakra-colors-tide)" checked={k.kind === kind} onChange={() => setKind(k.kind)} />
                    <Text>{products[k.kind]}</Text>
                    <Text fontSize="12px" color="faint">
                      {k.says}
                    </Text>
                  </chakra.label>
                ))}
              </Box>
            </Line>
            {server ? (
              <>
                <Line label="Host and port">
                  <Flex gap="1">
                    <Input size="xs" bg="sheet" flex="1" aria-label="Host" value={form.host} onChange={set('host')} spellCheck={false} />
                    <Input size="xs" bg="sheet" w="76px" aria-label="Port" inputMode="numeric" placeholder={chosen.port} _placeholder={{ color: 'faint' }} value={form.port} onChange={set('port')} />
                  </Flex>
                </Line>
                {kind === 'mariadb' ? line('Databases', 'database', { placeholder: 'one, or several with commas; empty for all' }) : line('Database', 'database')}
                {line('User', 'user')}
                <Choice label="Password is" options={passwordKinds} value={passwordIs} onChange={(e) => setPasswordIs(e.target.value)} />
                {line({ kept: 'Password', env: 'Variable', file: 'File' }[passwordIs]!, 'password', { type: passwordIs === 'kept' ? 'password' : 'text', autoComplete: 'new-password' })}
                <Choice label="Encrypted" options={[['', here ? 'as usual here: where the server can' : 'as usual: always, checked'], ...tlsModes]} value={form.tls} onChange={set('tls')} />
                {checks && line('Signed by', 'ca', { placeholder: 'file of certificates; empty for those of this machine' })}
              </>
            ) : (
              line('Path', 'path', { placeholder: kind === 'sqlite' ? '/path/to/file.db' : '/path/to/a/file or folder' })
            )}
          </chakra.fieldset>
          {(server || connection.trim()) && (
            <Line label="Limits">
              <LimitInputs limits={limits} onChange={setLimits} />
            </Line>
          )}
          <Flex gap="2" mt="3" pl="124px">
            <Button size="xs" type="submit" bg="tide" color="paper" loading={connect.isPending} disabled={!form.name}>
              Connect
            </Button>
            <Button {...quiet} loading={attempt.isPending && !connect.isPending} onClick={() => attempt.mutate()}>
              Test
            </Button>
          </Flex>
          {error && (
            <ErrorLine of={error} mt="2" />
          )}
        </Box>
        <Box flex="1" minW="0" overflowY="auto" p="3">
          <Text fontFamily="heading" fontWeight="600" mb="1">
            Steps
          </Text>
          {!attempt.data && !connect.isPending && (
            <Text color="faint" mb="2">
              Testing a source takes these steps, and says which one failed and what to do. Nothing is kept until it is connected; sources are only ever read.
            </Text>
          )}
          <Steps kind={triedKind} steps={attempt.data ?? []} />
          {connect.isPending && attempt.isSuccess && <Text color="faint" mt="2">Reading its catalogue and measuring how it behaves…</Text>}
        </Box>
      </Flex>
    </Flex>
  )
}

function Line({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <Flex align="baseline" gap="2" mb="1.5">
      <Text w="116px" flexShrink={0} textAlign="right" color="faint" fontSize="12px">
        {label}
      </Text>
      <Box flex="1" minW="0">
        {children}
      </Box>
    </Flex>
  )
}

function Choice({ label, options, value, onChange }: { label: string; options: readonly (readonly [string, string])[]; value: string; onChange: (e: React.ChangeEvent<HTMLSelectElement>) => void }) {
  return (
    <Line label={label}>
      <NativeSelect.Root size="xs">
        <NativeSelect.Field bg="sheet" aria-label={label} value={value} onChange={onChange}>
          {options.map(([value, text]) => (
            <option key={value} value={value}>
              {text}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Line>
  )
}
