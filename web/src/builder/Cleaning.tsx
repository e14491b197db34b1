import { Box, Button, Flex, Input, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { api, type CleaningOffer, type CleaningStep } from '../api/client'
import { count } from '../lib/text'
import { small, tiny } from './parts'
import type { Builder } from './useBuilder'
import { ErrorLine } from '../shell/parts'

/** What the values of an output are like, and the steps that would put them right. */
export function Cleaning({ builder, block, at, name, type, onClose }: { builder: Builder; block: number; at: number; name: string; type: string; onClose: () => void }) {
  const { sql, layer = '', view = '' } = builder.query
  const profile = useQuery({ queryKey: ['profile', sql, layer, view, block, at], queryFn: ({ signal }) => api.profile({ sql, layer, view, block, output: at }, signal), staleTime: 300_000, retry: false })
  const take = (clean: CleaningStep) => builder.edit({ do: 'clean output', block, at, kind: type, clean })
  const p = profile.data
  const text = type === 'text' || type.startsWith('char')
  const has = (step: string) => p?.offers.some((o) => o.clean.step === step)
  return (
    <Box mx="1" mb="1" p="1.5" border="1px solid" borderColor="tide" borderRadius="3px" bg="paper" fontSize="12px" data-testid="cleaning" onKeyDown={(e) => e.key === 'Escape' && onClose()}>
      <Flex align="baseline" gap="2" color="faint" fontSize="11px">
        {profile.isPending && 'Its source counts the values…'}
        {profile.isError && <ErrorLine of={profile.error} />}
        {p && (
          <Text>
            {p.of}: {p.sampled ? `the first ${count(p.rows)} rows` : `${count(p.rows)} rows`}, {count(p.distinct)} distinct{p.whole || p.sampled ? '' : ' and more'}
          </Text>
        )}
        <Button {...tiny} ml="auto" onClick={onClose}>
          Close
        </Button>
      </Flex>
      {p && (
        <Flex gap="2" mt="1">
          <Box w="150px" maxH="140px" overflowY="auto" border="1px solid" borderColor="line" bg="sheet" px="1" flexShrink={0}>
            {p.values.map((v, i) => (
              <Flex key={i} fontFamily="mono" fontSize="11px" gap="2">
                <Text flex="1" truncate whiteSpace="pre" color={v.value === null ? 'faint' : undefined} title={v.value ?? 'NULL'}>
                  {v.value === null ? 'NULL' : v.value === '' ? '(empty)' : v.value.replace(/^ +| +$/g, (s) => '␣'.repeat(s.length))}
                </Text>
                <Text color="faint" fontVariantNumeric="tabular-nums">
                  {count(v.rows)}
                </Text>
              </Flex>
            ))}
          </Box>
          <Box flex="1" minW="0">
            {p.offers.map((o, i) => (
              <Offer key={i} offer={o} name={name} onTake={take} />
            ))}
            {text && !has('upper') && !has('lower') && <Plain title="UPPER" onTake={() => take({ step: 'upper' })} />}
            {text && !has('upper') && !has('lower') && <Plain title="lower" onTake={() => take({ step: 'lower' })} />}
            {text && !has('split') && <Offer offer={{ clean: { step: 'split', value: ',', nth: 1 }, title: 'Split', why: '', rows: 0, fails: 0, failed: [] }} name={name} onTake={take} />}
            {text && <Offer offer={{ clean: { step: 'join', value: ' ', with: [] }, title: 'Join with', why: '', rows: 0, fails: 0, failed: [] }} name={name} onTake={take} />}
          </Box>
        </Flex>
      )}
    </Box>
  )
}

function Plain({ title, onTake }: { title: string; onTake: () => void }) {
  return (
    <Button {...small} mr="1" mb="0.5" onClick={onTake}>
      {title}
    </Button>
  )
}

/** A step, with what it needs to be told. */
function Offer({ offer: o, name, onTake }: { offer: CleaningOffer; name: string; onTake: (c: CleaningStep) => Promise<boolean> }) {
  const [clean, setClean] = useState(o.clean)
  const [open, setOpen] = useState(false)
  const set = (c: Partial<CleaningStep>) => setClean({ ...clean, ...c })
  const value = (label: string, w: string) => <Input size="2xs" h="20px" px="1" w={w} bg="sheet" borderColor="line" fontFamily="mono" aria-label={label} value={clean.value ?? ''} onChange={(e) => set({ value: e.target.value })} />
  const changes = clean.step === 'map' ? { ...clean, from: (clean.from ?? []).filter((f, i) => f !== clean.to?.[i]), to: (clean.to ?? []).filter((t, i) => t !== clean.from?.[i]) } : clean
  return (
    <Box mb="1" data-testid="offer">
      <Flex align="center" gap="1.5" wrap="wrap">
        {clean.step === 'map' && !open ? (
          <Button {...small} onClick={() => setOpen(true)}>
            {o.title}…
          </Button>
        ) : (
          <Button {...small} disabled={clean.step === 'map' && changes.from!.length === 0} title={`${name} becomes the result`} onClick={() => void onTake(changes)}>
            {o.title}
          </Button>
        )}
        {clean.step === 'fill' && (
          <>
            by {value('What NULL becomes', '90px')}
          </>
        )}
        {clean.step === 'split' && (
          <>
            at {value('What separates the parts', '40px')} part
            <Input size="2xs" h="20px" w="42px" px="1" type="number" bg="sheet" borderColor="line" aria-label="Which part" value={clean.nth ?? 1} onChange={(e) => set({ nth: Number(e.target.value) })} />
          </>
        )}
        {clean.step === 'join' && (
          <>
            <Input size="2xs" h="20px" px="1" w="92px" bg="sheet" borderColor="line" fontFamily="mono" aria-label="What it is joined with" _placeholder={{ color: 'faint' }} placeholder="e.g. i.country" value={(clean.with ?? []).join(', ')} onChange={(e) => set({ with: e.target.value.split(/\s*,\s*/).filter(Boolean) })} />
            by {value('What stands between', '40px')}
          </>
        )}
        {o.why && (
          <Text color={o.fails > 0 ? 'narrowed' : 'faint'} fontSize="11px">
            {o.why}
          </Text>
        )}
      </Flex>
      {o.failed.length > 0 && (
        <Text color="narrowed" fontSize="11px" fontFamily="mono" data-testid="failed">
          {o.failed.map((f) => f || '(empty)').join(' · ')}
          {clean.guard ? ' … told by a pattern' : ''}
        </Text>
      )}
      {clean.step === 'map' && open && (
        <Box maxH="110px" overflowY="auto" pt="1">
          {clean.from?.map((f, i) => (
            <Flex key={f} align="center" gap="1" fontFamily="mono" fontSize="11px">
              <Text w="90px" truncate title={f}>
                {f || '(empty)'}
              </Text>
              →
              <Input size="2xs" h="18px" flex="1" bg="sheet" borderColor="line" aria-label={`What ${f} becomes`} _placeholder={{ color: 'faint' }} placeholder="NULL" value={clean.to?.[i] ?? ''} onChange={(e) => set({ to: clean.to?.map((t, n) => (n === i ? e.target.value : t)) })} />
            </Flex>
          ))}
        </Box>
      )}
    </Box>
  )
}
