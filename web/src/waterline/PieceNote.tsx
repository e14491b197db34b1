import { Box, chakra, Flex, Text } from '@chakra-ui/react'
import { Link } from 'react-router'
import { useState } from 'react'
import type { Piece, Report, Rewrite } from '../api/client'
import { Glyph } from './Glyph'

/** A rewrite: the rule, where, and why. */
function RewriteLine({ rewrite }: { rewrite: Rewrite }) {
  return (
    <Flex gap="2" fontSize="12px" align="baseline" data-testid="rewrite" title={`${rewrite.text}\n${rewrite.why}`}>
      <Text fontFamily="heading" fontStyle="italic" whiteSpace="nowrap">
        {rewrite.rule}
      </Text>
      <Text fontFamily="mono" fontSize="11px" truncate maxW="38%" flexShrink={0}>
        {rewrite.text}
      </Text>
      <Text color="faint" truncate flex="1">
        {rewrite.why}
      </Text>
      {rewrite.view && (
        <Link to={`/view/${rewrite.view.replace('.', '/')}?at=${rewrite.span.join('-')}`}>
          <Text color="tide" textDecoration="underline" whiteSpace="nowrap">
            in {rewrite.view}
          </Text>
        </Link>
      )}
    </Flex>
  )
}

/** What is known of the chosen piece, or of all of them. Its height is fixed, so that nothing jumps. */
export function PieceNote({ report, piece, onChoose }: { report: Report; piece: Piece | null; onChoose: (id: string) => void }) {
  return (
    <Box h="80px" flexShrink={0} borderTop="1px solid" borderColor="line" bg="sheet" px="3" py="1.5" overflowY="auto" data-testid="piece-note">
      {piece ? <Chosen piece={piece} /> : <Tally report={report} onChoose={onChoose} />}
    </Box>
  )
}

function Chosen({ piece }: { piece: Piece }) {
  return (
    <>
      <Flex align="baseline" gap="2" mb="0.5">
        <Box alignSelf="center">
          <Glyph verdict={piece.verdict} size={15} />
        </Box>
        <Text fontWeight="600" color={piece.verdict}>
          {piece.verdict}
        </Text>
        <Text color="faint" fontSize="12px" whiteSpace="nowrap">
          {piece.kind}
          {piece.source && ` · ${piece.source}`}
        </Text>
        <Text fontFamily="mono" fontSize="12px" truncate title={piece.text} flex="1">
          {piece.text}
        </Text>
        {piece.view && (
          <Link to={`/view/${piece.view.replace('.', '/')}?at=${piece.span.join('-')}`}>
            <Text color="tide" textDecoration="underline" fontSize="12px" whiteSpace="nowrap">
              in {piece.view}
            </Text>
          </Link>
        )}
      </Flex>
      {piece.reason ? (
        <Text fontSize="12px">
          {piece.reason.text} <chakra.span color="faint">[{piece.reason.code}]</chakra.span>
          {piece.reason.remedy && (
            <chakra.span display="block">
              <chakra.span fontFamily="heading" fontStyle="italic">
                Remedy:{' '}
              </chakra.span>
              {piece.reason.remedy}
            </chakra.span>
          )}
        </Text>
      ) : (
        <Text fontSize="12px" color="faint">
          {piece.source} does this exactly as Rovik would.
        </Text>
      )}
    </>
  )
}

function Tally({ report, onChoose }: { report: Report; onChoose: (id: string) => void }) {
  const [listed, setListed] = useState(false)
  const rewrites = report.rewrites ?? [] // runs kept by older versions have none
  const cut = rewrites.filter((w) => w.rule === 'cut contradictions')
  const rest = report.pieces.filter((p) => p.verdict !== 'folded')
  const folded = report.pieces.length - rest.length
  return (
    <>
      <Text fontSize="12px" color="faint" mb="0.5">
        {folded} of {report.pieces.length} pieces folded{rest.length > 0 && !listed ? '; these did not:' : '.'}
        {rewrites.length > 0 && (
          <chakra.button type="button" ml="2" color="tide" textDecoration="underline" aria-expanded={listed} data-testid="rewrites" onClick={() => setListed(!listed)}>
            {listed ? 'pieces' : `${rewrites.length} ${rewrites.length === 1 ? 'rewrite' : 'rewrites'}`}
          </chakra.button>
        )}
      </Text>
      {!listed &&
        cut.map((w, i) => (
          <Text key={i} fontSize="12px" truncate title={w.why}>
            <chakra.span fontFamily="heading" fontStyle="italic">
              Cut off:{' '}
            </chakra.span>
            {w.why}
          </Text>
        ))}
      {listed && rewrites.map((w, i) => <RewriteLine key={i} rewrite={w} />)}
      <Flex display={listed ? 'none' : 'flex'} wrap="wrap" columnGap="3" rowGap="0">
        {rest.map((p) => (
          <Flex key={p.id} as="button" align="center" gap="1" maxW="300px" title={p.reason?.text ?? ''} data-testid="unfolded" onClick={() => onChoose(p.id)}>
            <Glyph verdict={p.verdict} size={12} />
            <Text fontSize="12px" color={p.verdict}>
              {p.verdict}
            </Text>
            <Text fontFamily="mono" fontSize="11px" truncate _hover={{ textDecoration: 'underline' }}>
              {p.text}
            </Text>
          </Flex>
        ))}
      </Flex>
    </>
  )
}
