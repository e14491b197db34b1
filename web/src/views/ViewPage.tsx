import { Box, Button, Flex, Text } from '@chakra-ui/react'
import { Play, Save, Square } from 'lucide-react'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import { isGoing, type Catalog, type Problem, type Report, type ViewInfo } from '../api/client'
import { BuilderFace } from '../builder/BuilderFace'
import { PreviewLine, PreviewRows, usePreview } from '../builder/PreviewRows'
import { useBuilder } from '../builder/useBuilder'
import { count, duration, millis, rows } from '../lib/text'
import { type Command, useCommands } from '../lib/commands'
import { useView } from '../lib/views'
import { Title } from '../shell/Title'
import { Grid } from '../rows/Grid'
import { Place, RunChoices, useRunChoices } from '../runs/RunChoices'
import { Drawing } from '../waterline/Drawing'
import { PieceNote } from '../waterline/PieceNote'
import { Editor, type History } from './Editor'
import { NotesStrip } from './NotesStrip'
import { Parameters, useParameters } from './Parameters'
import { RenameStrip } from './RenameStrip'
import { SavePanel } from './SavePanel'
import { SaveStrip } from './SaveStrip'
import { useExplain } from './useExplain'
import { useRun } from './useRun'
import { useSaid } from './useSaid'
import { ErrorLine, quiet } from '../shell/parts'

/** A view's definition or a new query: its SQL, what each source does for it, and its rows. */
export function ViewPage({ catalog }: { catalog: Catalog }) {
  const { layer = '', name = '' } = useParams()
  const full = name ? `${layer}.${name}` : ''
  const view = useView(full)
  if (full && view.isPending) return <Text p="6" color="faint">Reading {full}…</Text>
  if (full && !view.data) return <Text p="6" color="faint">{view.error?.message ?? `There is no view called ${full}.`}</Text>
  // Another view is another page: nothing is carried over.
  return <ViewOf key={full} catalog={catalog} layer={layer} name={name} saved={view.data} />
}

/** Buttons that do not call for attention. */

const faceKey = 'rovik-face'

const draftKey = 'rovik-draft'

function ViewOf({ catalog, layer, name, saved }: { catalog: Catalog; layer: string; name: string; saved?: ViewInfo }) {
  const [params] = useSearchParams()
  const [text, setText] = useState(() => (name ? (saved?.sql ?? '') : (params.get('sql') ?? sessionStorage.getItem(draftKey) ?? '')))
  const [foldOff, setFoldOff] = useState(false)
  const [chosen, setChosen] = useState<string | null>(null)
  const [saving, setSaving] = useState(false)
  const navigate = useNavigate()
  const parameters = useParameters(name ? '' : text)
  const query = useMemo(() => ({ sql: text, foldOff, layer, view: name, params: parameters.values }), [text, foldOff, layer, name, parameters.values])
  const explained = useExplain(query)
  const run = useRun()
  const choices = useRunChoices()
  const history = useRef<History>(null)
  const [face, setFace] = useState<'sql' | 'builder'>(() => (sessionStorage.getItem(faceKey) === 'builder' ? 'builder' : 'sql'))
  const turn = (to: 'sql' | 'builder') => {
    sessionStorage.setItem(faceKey, to)
    setFace(to)
  }
  const builder = useBuilder(query, face === 'builder', explained, setText)
  const [previewing, setPreviewing] = useState(false)
  const preview = usePreview(query, previewing && explained.current)
  const [replacing, setReplacing] = useState(false)
  const [renaming, setRenaming] = useState(false)
  const [describing, setDescribing] = useState(false)
  // The revision that the text is based on, whatever others save meanwhile.
  const [base, setBase] = useState(saved?.revision ?? 0)
  useEffect(() => {
    if (!name) sessionStorage.setItem(draftKey, text)
  }, [name, text])

  const sources = useMemo(() => catalog.sources.map((s) => s.name), [catalog])
  // After a run the drawing shows what happened, until the text changes.
  const ranThis = run.status !== null && run.sql === text && run.foldOff === foldOff && JSON.stringify(run.params) === JSON.stringify(parameters.values)
  const report = ranThis ? run.status!.report : explained.report
  const { current } = explained
  const own = useMemo(() => (current && report ? report.pieces.filter((p) => p.view === '') : []), [report, current])
  const step = useLastStep(text, explained.report, current)
  const asked = useReveal(params.get('at'))
  const reveal = text === saved?.sql ? asked : null // it counts in the text that is kept
  const problem = explained.problem ?? (run.sql === text ? run.problem : null)
  const here = problem && problem.view === '' ? problem : null
  const said = useSaid(saved)
  const changed = saved !== undefined && (text !== saved.sql || Object.keys(said.changed).length > 0)
  const start = () => {
    if (run.running || !text.trim()) return
    setPreviewing(false)
    void run.start({ ...query, ...choices.asked })
  }
  const saveDone = (revision: number) => {
    setBase(revision)
    said.clear()
  }
  const save = () => {
    if (name) {
      if (changed && !explained.problem) setReplacing(true)
    } else if (text.trim()) setSaving(true)
  }
  const acts = useRef({ start, save, turn, navigate, stop: run.stop })
  useEffect(() => {
    acts.current = { start, save, turn, navigate, stop: run.stop }
  })
  const full = `${layer}.${name}`
  const commands = useMemo<Command[]>(() => {
    const list: (Command | false)[] = [
      { title: 'Run', keys: 'Ctrl+Enter', run: () => acts.current.start() },
      run.running && { title: 'Stop the run', run: () => acts.current.stop() },
      name ? { title: 'Save…', keys: 'Ctrl+S', run: () => acts.current.save() } : { title: 'Save as view…', keys: 'Ctrl+S', run: () => acts.current.save() },
      { title: face === 'sql' ? 'Turn to the Builder' : 'Turn to the SQL', run: () => acts.current.turn(face === 'sql' ? 'builder' : 'sql') },
      { title: previewing ? 'Stop previewing' : 'Preview the first rows', run: () => setPreviewing((p) => !p) },
      { title: foldOff ? 'Turn folding on' : 'Turn folding off', run: () => setFoldOff((f) => !f) },
      name !== '' && { title: 'Lineage of this view', run: () => void acts.current.navigate(`/lineage/${full}`) },
      name !== '' && { title: 'Revisions of this view', run: () => void acts.current.navigate(`/view/${full.replace('.', '/')}/revisions`) },
      name !== '' && { title: 'Describe this view', run: () => setDescribing(true) },
      name !== '' && !changed && { title: 'Rename this view or a column', run: () => setRenaming(true) },
    ]
    return list.filter((c) => c !== false)
  }, [name, full, face, previewing, foldOff, changed, run.running])
  useCommands(commands)

  return (
    <Flex direction="column" h="100%">
      <Flex align="center" gap="2" h="44px" px="3" borderBottom="1px solid" borderColor="line" flexShrink={0}>
        <Title hint={saved?.description}>
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
        </Title>
        {changed && (
          <Text fontSize="12px" color="narrowed">
            not saved
          </Text>
        )}
        <Flex flex="1" minW="0" align="center" gap="1.5">
          {saved && (
            <Box as="button" minW="0" color="faint" fontSize="12px" truncate textAlign="left" aria-expanded={describing} title={`${saved.description || 'Say what it is'} (click to change)`} _hover={{ color: 'ink' }} onClick={() => setDescribing(!describing)}>
              {saved.description || 'Describe it…'}
            </Box>
          )}
          {saved?.labels.map((l) => (
            <Text key={l} flexShrink={0} fontSize="11px" color="faint" borderBottom="1px dashed" borderColor="line">
              {l}
            </Text>
          ))}
        </Flex>
        <Button {...quiet} aria-pressed={!foldOff} title="With folding off, sources send bare columns and Rovik does everything: the rows are the same" onClick={() => setFoldOff(!foldOff)}>
          Folding {foldOff ? 'off' : 'on'}
        </Button>
        {saved && (
          <Link to={`/view/${layer}/${name}/revisions`}>
            <Text color="tide" fontSize="12px" whiteSpace="nowrap" title="Its revisions">
              revision {saved.revision}
            </Text>
          </Link>
        )}
        {name && (
          <Link to={`/lineage/${layer}.${name}`}>
            <Button as="span" {...quiet} title="Where its columns come from, and who reads them">
              Lineage
            </Button>
          </Link>
        )}
        {name && (
          <Button {...quiet} disabled={changed} aria-expanded={renaming} _expanded={{ bg: 'sea' }} title={changed ? 'Save it first' : 'Give it, or a column of it, another name everywhere'} onClick={() => setRenaming(!renaming)}>
            Rename…
          </Button>
        )}
        {name && (
          <Button {...quiet} disabled={!changed || explained.problem !== null} onClick={save}>
            <Save size={13} /> Save…
          </Button>
        )}
        <Button {...quiet} disabled={!text.trim()} onClick={() => setSaving(!saving)}>
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
      {replacing && saved && changed && <SaveStrip view={saved} base={base} sql={text} said={said.changed} onSaved={saveDone} onDone={() => setReplacing(false)} />}
      {describing && saved && (
        <NotesStrip
          key={saved.revision}
          view={saved}
          onDone={(revision) => {
            if (revision > 0) setBase(revision)
            setDescribing(false)
          }}
        />
      )}
      {renaming && saved && !changed && (
        <RenameStrip
          catalog={catalog}
          view={saved}
          onRenamed={(v) => {
            setText(v.sql)
            setBase(v.revision)
          }}
          onDone={() => setRenaming(false)}
        />
      )}
      {saving && <SavePanel catalog={catalog} sql={text} said={said.changed} onClose={() => setSaving(false)} onSaved={(v) => navigate(`/view/${v.layer}/${v.name}`)} />}
      <Flex flex="1" minH="0">
        <Flex direction="column" w="41%" minW="300px" borderRight="1px solid" borderColor="line">
          <Faces face={face} onTurn={turn} step={step} />
          <Editor hidden={face !== 'sql'} history={history} text={text} catalog={catalog} pieces={own} chosen={chosen} problem={here} reveal={reveal} onChange={setText} onChoose={setChosen} onRun={start} onSave={save} />
          {face === 'builder' && <BuilderFace builder={builder} catalog={catalog} sources={sources} pieces={own} chosen={chosen} onChoose={setChosen} history={history} said={said} />}
          <Parameters of={parameters} />
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
      <Rows run={run} choices={choices} stale={run.status !== null && !ranThis} preview={preview} previewing={previewing} onPreview={setPreviewing} />
    </Flex>
  )
}

/** The two faces of the text, and what its last change did to verdicts and to what crosses. */
function Faces({ face, onTurn, step }: { face: 'sql' | 'builder'; onTurn: (to: 'sql' | 'builder') => void; step: string }) {
  return (
    <Flex align="center" gap="1" px="2" h="26px" bg="rail" borderBottom="1px solid" borderColor="line" flexShrink={0} role="tablist">
      {(['sql', 'builder'] as const).map((f) => (
        <Box as="button" key={f} role="tab" aria-selected={face === f} px="2" h="20px" fontSize="12px" borderRadius="3px" bg={face === f ? 'sheet' : undefined} color={face === f ? 'ink' : 'faint'} fontWeight={face === f ? '600' : undefined} onClick={() => onTurn(f)}>
          {f === 'sql' ? 'SQL' : 'Builder'}
        </Box>
      ))}
      <Text ml="auto" color="faint" fontSize="11px" truncate title={step} data-testid="last-step">
        {step}
      </Text>
    </Flex>
  )
}

/** What a change of the text does: rows expected to cross and verdicts, before and after. */
function useLastStep(text: string, report: Report | null, current: boolean): string {
  const [step, setStep] = useState('')
  const last = useRef<{ text: string; crossing: number; counts: Record<string, number> } | null>(null)
  useEffect(() => {
    if (!current || !report || last.current?.text === text) return
    const counts: Record<string, number> = { folded: 0, narrowed: 0, kept: 0 }
    for (const p of report.pieces) counts[p.verdict] = (counts[p.verdict] ?? 0) + 1
    const crossing = report.statements.reduce((n, s) => n + s.estimatedRows, 0)
    const was = last.current
    last.current = { text, crossing, counts }
    if (!was) return
    const said = [was.crossing === crossing ? `about ${count(crossing)} rows cross, as before` : `about ${count(was.crossing)} → ${count(crossing)} rows cross`]
    for (const v of ['folded', 'narrowed', 'kept']) if (was.counts[v] !== counts[v]) said.push(`${v} ${was.counts[v]} → ${counts[v]}`)
    setStep('last step: ' + said.join(', '))
  }, [text, report, current])
  return step
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
        {p.view && (
          <>
            In{' '}
            <Link to={`/view/${p.view.replace('.', '/')}${p.start >= 0 ? `?at=${p.start}-${p.end}` : ''}`} title="Go to where it is wrong">
              <Box as="span" color="tide" textDecoration="underline dotted">
                {p.view}
              </Box>
            </Link>
            :{' '}
          </>
        )}
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

interface RowsProps {
  run: ReturnType<typeof useRun>
  choices: ReturnType<typeof useRunChoices>
  stale: boolean
  preview: ReturnType<typeof usePreview>
  previewing: boolean
  onPreview: (on: boolean) => void
}

/** The rows of the last run or, where that is asked, the first ones of the text as it is. */
function Rows({ run, choices, stale, preview, previewing, onPreview }: RowsProps) {
  const s = previewing && !run.running ? null : run.status
  return (
    <Flex direction="column" h={s || previewing ? '30%' : '30px'} flexShrink={0} borderTop="1px solid" borderColor="line">
      <Flex align="center" gap="2" px="3" h="26px" fontSize="12px" whiteSpace="nowrap" bg="rail" color="faint" flexShrink={0} data-testid="run-line" data-state={s?.state ?? 'none'}>
        <Button size="2xs" h="18px" variant="outline" color="ink" bg={previewing ? 'deep' : 'sheet'} borderColor="line" _hover={{ bg: 'sea' }} aria-pressed={previewing} title="Read the first rows after every change" onClick={() => onPreview(!previewing)}>
          Preview
        </Button>
        {!s && previewing && <PreviewLine preview={preview} />}
        {!s && !previewing && 'Rows appear here after a run (Ctrl+Enter).'}
        {s && (
          <>
            <Text color={s.state === 'failed' ? 'kept' : 'ink'} fontWeight="600">
              {s.state}
            </Text>
            {s.place ? (
              <Place of={s.place} />
            ) : (
              <>
                <Text>
                  {rows(s.rows)}
                  {s.cut && ' shown, and there are more'}
                </Text>
                <Text>· {rows(s.report.rowsCrossed ?? 0)} crossed</Text>
                <Text>· {millis(s.report.totalMilliseconds ?? 0)}</Text>
              </>
            )}
            {isGoing(s) && <Text>· stops after {duration(s.limit)}</Text>}
            {s.warning && <Text color="kept">· {s.warning}</Text>}
            {s.problem && <ErrorLine of={s.problem} truncate title={s.problem.message} />}
            {stale && <Text ml="auto">of the text before your changes</Text>}
          </>
        )}
        {!run.running && <RunChoices {...choices} />}
      </Flex>
      {!s && previewing && (
        <Box flex="1" minH="0">
          <PreviewRows preview={preview} />
        </Box>
      )}
      {s && run.id && (
        <Box flex="1" minH="0">
          <Grid key={run.id} run={run.id} columns={s.report.columns} held={s.rows} settled={!isGoing(s)} />
        </Box>
      )}
    </Flex>
  )
}
