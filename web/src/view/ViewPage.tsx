import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { Play, Save, Square } from 'lucide-react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import type { Catalog, Problem } from '../api/client'
import { millis, rows } from '../lib/text'
import { Grid } from '../rows/Grid'
import { Drawing } from '../waterline/Drawing'
import { PieceNote } from '../waterline/PieceNote'
import { Editor } from './Editor'
import { SavePanel } from './SavePanel'
import { SaveStrip } from './SaveStrip'
import { useExplain } from './useExplain'
import { useRun } from './useRun'

/** A view's definition or a new query: its SQL, what each source does for it, and its rows. */
export function ViewPage({ catalog }: { catalog: Catalog }) {
  const { layer = '', name = '' } = useParams()
  // Another view is another page: nothing is carried over.
  return <ViewOf key={`${layer}.${name}`} catalog={catalog} layer={layer} name={name} />
}

/** Buttons that do not call for attention. */
const quiet = { variant: 'outline', color: 'ink', bg: 'sheet', borderColor: 'line', _hover: { bg: 'sea' } } as const

const draftKey = 'rovik-draft'

function ViewOf({ catalog, layer, name }: { catalog: Catalog; layer: string; name: string }) {
  const saved = catalog.views.find((v) => v.layer === layer && v.name === name)
  const [params] = useSearchParams()
  const [text, setText] = useState(() => (name ? (saved?.sql ?? '') : (params.get('sql') ?? sessionStorage.getItem(draftKey) ?? '')))
  const [foldOff, setFoldOff] = useState(false)
  const [chosen, setChosen] = useState<string | null>(null)
  const [saving, setSaving] = useState(false)
  const navigate = useNavigate()
  const query = useMemo(() => ({ sql: text, foldOff, layer, view: name }), [text, foldOff, layer, name])
  const explained = useExplain(query)
  const run = useRun()
  const [replacing, setReplacing] = useState(false)
  // The revision that the text is based on, whatever others save meanwhile.
  const [base, setBase] = useState(saved?.revision ?? 0)
  useEffect(() => {
    if (!name) sessionStorage.setItem(draftKey, text)
  }, [name, text])

  const sources = useMemo(() => catalog.sources.map((s) => s.name), [catalog])
  // After a run the drawing shows what happened, until the text changes.
  const ranThis = run.status !== null && run.sql === text && run.foldOff === foldOff
  const report = ranThis ? run.status!.report : explained.report
  const { current } = explained
  const own = useMemo(() => (current && report ? report.pieces.filter((p) => p.view === '') : []), [report, current])
  const reveal = useReveal(params.get('at'))
  const problem = explained.problem ?? (run.sql === text ? run.problem : null)
  const here = problem && problem.view === '' ? problem : null
  const changed = saved !== undefined && text !== saved.sql
  const start = () => {
    if (!run.running && text.trim()) run.start({ sql: text, foldOff, layer, view: name })
  }
  const save = () => {
    if (name) {
      if (changed && !explained.problem) setReplacing(true)
    } else if (text.trim()) setSaving(true)
  }

  if (name && !saved) return <Text p="6" color="faint">There is no view called {layer}.{name}.</Text>
  return (
    <Flex direction="column" h="100%">
      <Flex align="center" gap="2" h="44px" px="3" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Text fontFamily="heading" fontSize="17px" fontWeight="600" whiteSpace="nowrap" title={saved?.description}>
          {name ? (
            <>
              <Box as="span" color="faint" fontWeight="400">
                {layer}.
              </Box>
              {name}
            </>
          ) : (
            'New query'
          )}
        </Text>
        {changed && (
          <Text fontSize="12px" color="narrowed">
            not saved
          </Text>
        )}
        <Text flex="1" color="faint" fontSize="12px" truncate>
          {saved?.description}
        </Text>
        <Button size="xs" {...quiet} aria-pressed={!foldOff} title="With folding off, sources send bare columns and Rovik does everything: the rows are the same" onClick={() => setFoldOff(!foldOff)}>
          Folding {foldOff ? 'off' : 'on'}
        </Button>
        {saved && (
          <Link to={`/view/${layer}/${name}/revisions`}>
            <Text color="tide" fontSize="12px" whiteSpace="nowrap" title="The texts that it had">
              revision {saved.revision}
            </Text>
          </Link>
        )}
        {name && (
          <Link to={`/lineage/${layer}.${name}`}>
            <Button as="span" size="xs" {...quiet} title="Where its columns come from, and who reads them">
              Lineage
            </Button>
          </Link>
        )}
        {name && (
          <Button size="xs" {...quiet} disabled={!changed || explained.problem !== null} onClick={save}>
            <Save size={13} /> Save…
          </Button>
        )}
        <Button size="xs" {...quiet} disabled={!text.trim()} onClick={() => setSaving(!saving)}>
          {name ? 'Save as…' : 'Save as view…'}
        </Button>
        {run.running ? (
          <Button size="xs" bg="kept" color="paper" w="84px" onClick={run.stop}>
            <Square size={12} fill="currentColor" /> Stop
          </Button>
        ) : (
          <Button size="xs" bg="tide" color="paper" w="84px" disabled={!text.trim() || explained.problem !== null} title="Ctrl+Enter" onClick={start}>
            <Play size={12} fill="currentColor" /> Run
          </Button>
        )}
      </Flex>
      {replacing && saved && changed && <SaveStrip view={saved} base={base} sql={text} onSaved={setBase} onDone={() => setReplacing(false)} />}
      {saving && <SavePanel catalog={catalog} sql={text} onClose={() => setSaving(false)} onSaved={(v) => navigate(`/view/${v.layer}/${v.name}`)} />}
      <Flex flex="1" minH="0">
        <Flex direction="column" w="41%" minW="300px" borderRight="1px solid" borderColor="line">
          <Editor text={text} catalog={catalog} pieces={own} chosen={chosen} problem={here} reveal={reveal} onChange={setText} onChoose={setChosen} onRun={start} onSave={save} />
          <ProblemNote problem={problem} />
        </Flex>
        <Flex direction="column" flex="1" minW="0" opacity={current || ranThis || !report ? 1 : 0.55} transition="opacity 0.15s">
          {report ? (
            <>
              <Drawing report={report} query={query} sources={sources} chosen={chosen} onChoose={setChosen} />
              <PieceNote report={report} piece={report.pieces.find((p) => p.id === chosen) ?? null} onChoose={setChosen} />
            </>
          ) : (
            <Empty text={text} problem={problem} />
          )}
        </Flex>
      </Flex>
      <Rows run={run} stale={run.status !== null && !ranThis} />
    </Flex>
  )
}

/** The span that a link asks to show, in bytes. */
function useReveal(at: string | null): [number, number] | null {
  return useMemo(() => {
    const m = at?.match(/^(\d+)-(\d+)$/)
    return m ? [Number(m[1]), Number(m[2])] : null
  }, [at])
}

function Empty({ text, problem }: { text: string; problem: Problem | null }) {
  return (
    <Text p="6" color="faint" maxW="46ch">
      {problem ? 'The drawing comes back when the text is right.' : text.trim() ? 'Reading the query…' : 'Write a query: tables are source.table, views are layer.view. What each source would do for it appears here while you type; nothing is read until you run it.'}
    </Text>
  )
}

function ProblemNote({ problem: p }: { problem: Problem | null }) {
  if (!p) return null
  return (
    <Box borderTop="1px solid" borderColor="line" bg="sheet" px="3" py="1.5" role="alert" data-testid="problem">
      <Text color="kept" fontSize="12px">
        {p.view && `In ${p.view}: `}
        {p.message}
      </Text>
      {p.hint && (
        <Text fontSize="12px" color="faint">
          {p.hint}
        </Text>
      )}
    </Box>
  )
}

function Rows({ run, stale }: { run: ReturnType<typeof useRun>; stale: boolean }) {
  const s = run.status
  const last = useRef<HTMLDivElement>(null)
  return (
    <Flex ref={last} direction="column" h={s ? '30%' : '30px'} flexShrink={0} borderTop="1px solid" borderColor="line">
      <Flex align="center" gap="2" px="3" h="26px" fontSize="12px" bg="rail" color="faint" flexShrink={0} data-testid="run-line" data-state={s?.state ?? 'none'}>
        {!s && 'Rows appear here after a run (Ctrl+Enter).'}
        {s && (
          <>
            <Text color={s.state === 'failed' ? 'kept' : 'ink'} fontWeight="600">
              {{ running: 'running', done: 'done', failed: 'failed', stopped: 'stopped' }[s.state]}
            </Text>
            <Text>
              {rows(s.rows)}
              {s.cut && ' shown, and there are more'}
            </Text>
            <Text>· {rows(s.report.rowsCrossed ?? 0)} crossed</Text>
            <Text>· {millis(s.report.totalMilliseconds ?? 0)}</Text>
            {s.problem && <Text color="kept" truncate title={s.problem.message}>{s.problem.message} {s.problem.hint}</Text>}
            {stale && <Text ml="auto">of the text before your changes</Text>}
          </>
        )}
      </Flex>
      {s && run.id && (
        <Box flex="1" minH="0">
          <Grid key={run.id} run={run.id} columns={s.report.columns} held={s.rows} settled={s.state !== 'running'} />
        </Box>
      )}
    </Flex>
  )
}
