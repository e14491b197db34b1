import { Box, Flex, Input, type InputProps, Text } from '@chakra-ui/react'
import { useEffect, useRef, useState } from 'react'
import type { FormPart, Piece, Verdict } from '../api/client'
import { Glyph } from '../waterline/Glyph'

export const small = { size: '2xs', variant: 'outline', color: 'ink', bg: 'sheet', borderColor: 'line', h: '20px', px: '2', _hover: { bg: 'sea' }, _expanded: { bg: 'deep' } } as const
export const tiny = { size: '2xs', variant: 'ghost', color: 'faint', minW: '18px', h: '18px', px: '1', _hover: { bg: 'sea', color: 'ink' }, _expanded: { bg: 'deep', color: 'ink' } } as const
export const select = { textOverflow: 'ellipsis', fontSize: '12px', bg: 'sheet', border: '1px solid', borderColor: 'line', borderRadius: '3px', h: '20px', px: '0.5' } as const

/** A part of the form with its title and what can be done with all of it. */
export function Section({ title, aside, children, tools }: { title: string; aside?: string; tools?: React.ReactNode; children: React.ReactNode }) {
  return (
    <Box px="2" py="1.5" borderBottom="1px solid" borderColor="line" data-section={title}>
      <Flex align="center" gap="2" mb="0.5" minH="20px">
        <Text fontFamily="heading" fontWeight="600" fontSize="13px">
          {title}
        </Text>
        <Text color="faint" fontSize="11px">
          {aside}
        </Text>
        <Flex ml="auto" gap="1">
          {tools}
        </Flex>
      </Flex>
      {children}
    </Box>
  )
}

interface FieldProps extends Omit<InputProps, 'onChange' | 'value' | 'onSubmit'> {
  label: string
  value: string
  onCommit: (value: string) => void
}

/** A text that is edited in its place: Enter or leaving it takes it over, Escape gives it up. */
export function Field({ label, value, onCommit, ...rest }: FieldProps) {
  const [text, setText] = useState(value)
  const given = useRef(value)
  useEffect(() => {
    if (given.current !== value) {
      given.current = value
      setText(value)
    }
  }, [value])
  const commit = () => {
    if (text.trim() !== value.trim()) onCommit(text.trim())
  }
  return (
    <Input
      size="2xs"
      h="20px"
      px="1"
      border="1px solid transparent"
      bg="transparent"
      fontFamily="mono"
      fontSize="12px"
      spellCheck={false}
      _placeholder={{ color: 'faint', fontFamily: 'body' }}
      _hover={{ borderColor: 'line' }}
      _focus={{ bg: 'sheet', borderColor: 'tide' }}
      title={text}
      {...rest}
      aria-label={label}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={commit}
      onKeyDown={(e) => {
        e.stopPropagation()
        if (e.key === 'Enter') commit()
        if (e.key === 'Escape') setText(value)
        rest.onKeyDown?.(e)
      }}
    />
  )
}

/** What the form cannot show stands as it is, and says so. */
export function Locked({ part }: { part: FormPart }) {
  return (
    <Box my="0.5" px="2" py="0.5" bg="rail" borderLeft="3px double" borderColor="line" data-testid="locked">
      <Text as="pre" fontFamily="mono" fontSize="12px" whiteSpace="pre-wrap" maxH="90px" overflowY="auto">
        {part.text}
      </Text>
      <Text color="faint" fontSize="11px">
        Locked: {part.locked}.
      </Text>
    </Box>
  )
}

const rank: Record<Verdict, number> = { folded: 0, narrowed: 1, kept: 2 }

/** The worst piece within a part of the text. */
export function worst(pieces: Piece[], part: { start: number; end: number }, kind?: Piece['kind']): Piece | null {
  let out: Piece | null = null
  for (const p of pieces) {
    if (p.span[0]! >= part.start && p.span[1]! <= part.end && (!kind || p.kind === kind) && (!out || rank[p.verdict] > rank[out.verdict])) out = p
  }
  return out
}

/** A verdict that chooses its piece when it is clicked. */
export function Mark({ piece, chosen, onChoose }: { piece: Piece | null; chosen: string | null; onChoose: (id: string | null) => void }) {
  if (!piece) return <Box w="16px" flexShrink={0} />
  return (
    <Flex as="button" w="16px" h="18px" align="center" flexShrink={0} bg={piece.id === chosen ? 'lit' : undefined} borderRadius="3px" title={piece.reason ? `${piece.verdict}: ${piece.reason.text} ${piece.reason.remedy ?? ''}` : `${piece.verdict} in ${piece.source}`} onClick={() => onChoose(piece.id === chosen ? null : piece.id)}>
      <Glyph verdict={piece.verdict} />
    </Flex>
  )
}

/** Writes a value of a type as a literal. */
export function literal(value: string | null, type: string): string {
  if (value === null) return 'NULL'
  if (/^(smallint|integer|bigint|numeric|real|double|boolean)/.test(type)) return value
  const text = `'${value.replaceAll("'", "''")}'`
  return /^(date|timestamp|timestamptz|time|interval|uuid)/.test(type) ? `${type} ${text}` : text
}

/** A name that can stand as a column's, made of any text. */
export const nameFrom = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '')
    .replace(/^(\d)/, 'n$1') || 'none'
