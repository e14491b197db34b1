import { autocompletion, closeBrackets, completionKeymap } from '@codemirror/autocomplete'
import { defaultKeymap, history, historyKeymap, indentWithTab, isolateHistory, redo, undo } from '@codemirror/commands'
import { PostgreSQL, sql } from '@codemirror/lang-sql'
import { bracketMatching, HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { type Diagnostic, lintGutter, setDiagnostics } from '@codemirror/lint'
import { Compartment, EditorState, RangeSet, StateEffect, StateField } from '@codemirror/state'
import { Decoration, type DecorationSet, drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { Box } from '@chakra-ui/react'
import { useEffect, useRef } from 'react'
import type { Catalog, Piece, Problem } from '../api/client'
import { fromBytes } from '../lib/text'
import { completions } from './completion'

interface Props {
  text: string
  catalog: Catalog
  pieces: Piece[] // of this text
  chosen: string | null
  problem: Problem | null // in this text
  reveal: [number, number] | null // bytes to show at first
  onChange: (text: string) => void
  onChoose: (piece: string | null) => void
  onRun: () => void
  onSave: () => void
  history?: React.RefObject<History | null> // is given what takes steps back
  hidden?: boolean // it keeps its text and its history
}

/** Takes the steps of a text back, and forth again, whoever took them. */
export interface History {
  undo: () => void
  redo: () => void
}

/** The one stretch of a text that is another. */
function difference(was: string, is: string) {
  let from = 0
  while (from < was.length && from < is.length && was[from] === is[from]) from++
  let back = 0
  while (back < was.length - from && back < is.length - from && was[was.length - 1 - back] === is[is.length - 1 - back]) back++
  return { from, to: was.length - back, insert: is.slice(from, is.length - back) }
}

const ink = HighlightStyle.define([
  { tag: tags.keyword, color: 'var(--chakra-colors-tide)', fontWeight: '600' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--chakra-colors-narrowed)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--chakra-colors-narrowed)' },
  { tag: [tags.comment, tags.lineComment, tags.blockComment], color: 'var(--chakra-colors-faint)', fontStyle: 'italic' },
])

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12.5px', backgroundColor: 'var(--chakra-colors-sheet)', color: 'var(--chakra-colors-ink)' },
  '.cm-content': { fontFamily: 'var(--chakra-fonts-mono)', caretColor: 'var(--chakra-colors-ink)', paddingTop: '6px' },
  '.cm-cursor': { borderLeftColor: 'var(--chakra-colors-ink)' },
  '.cm-gutters': { backgroundColor: 'var(--chakra-colors-sheet)', color: 'var(--chakra-colors-faint)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--chakra-colors-sea) 35%, transparent)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--chakra-colors-deep) !important' },
  '&.cm-focused': { outline: 'none' },
  '.cm-piece': { borderBottom: '1.5px dotted', cursor: 'default' },
  '.cm-folded': { borderColor: 'var(--chakra-colors-folded)' },
  '.cm-narrowed': { borderColor: 'var(--chakra-colors-narrowed)' },
  '.cm-kept': { borderColor: 'var(--chakra-colors-kept)' },
  '.cm-lit': { backgroundColor: 'var(--chakra-colors-lit)' },
  '.cm-tooltip': { backgroundColor: 'var(--chakra-colors-sheet)', color: 'var(--chakra-colors-ink)', border: '1px solid var(--chakra-colors-line)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--chakra-colors-deep)', color: 'var(--chakra-colors-ink)' },
  '.cm-completionDetail': { color: 'var(--chakra-colors-faint)', fontStyle: 'normal', marginLeft: '1em' },
})

const setMarks = StateEffect.define<DecorationSet>()
const marks = StateField.define<DecorationSet>({
  create: () => RangeSet.empty,
  update(value, tr) {
    value = value.map(tr.changes)
    for (const e of tr.effects) if (e.is(setMarks)) value = e.value
    return value
  },
  provide: (f) => EditorView.decorations.from(f),
})

/** The SQL editor, in which pieces show their verdict and can be chosen. */
export function Editor(props: Props) {
  const host = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView>(null)
  const latest = useRef(props)
  const complete = useRef(new Compartment())
  useEffect(() => {
    latest.current = props
  })

  useEffect(() => {
    const run = (f: () => void) => () => {
      f()
      return true
    }
    const v = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        doc: latest.current.text,
        extensions: [
          lineNumbers(),
          history(),
          drawSelection(),
          bracketMatching(),
          closeBrackets(),
          highlightActiveLine(),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': 'SQL' }),
          sql({ dialect: PostgreSQL, upperCaseKeywords: true }),
          syntaxHighlighting(ink),
          lintGutter(),
          marks,
          look,
          complete.current.of([]),
          keymap.of([
            { key: 'Mod-Enter', run: run(() => latest.current.onRun()) },
            { key: 'Mod-s', run: run(() => latest.current.onSave()) },
            ...completionKeymap,
            ...historyKeymap,
            indentWithTab,
            ...defaultKeymap,
          ]),
          EditorView.updateListener.of((u) => {
            if (u.docChanged) latest.current.onChange(u.state.doc.toString())
          }),
          EditorView.domEventHandlers({
            click: (e, v) => {
              const pos = v.posAtCoords({ x: e.clientX, y: e.clientY })
              if (pos === null || !v.state.selection.main.empty) return
              const at = fromBytes(latest.current.text)
              const hit = latest.current.pieces
                .filter((p) => at(p.span[0]!) <= pos && pos <= at(p.span[1]!))
                .sort((a, b) => a.span[1]! - a.span[0]! - (b.span[1]! - b.span[0]!))[0]
              latest.current.onChoose(hit?.id ?? null)
            },
          }),
        ],
      }),
    })
    view.current = v
    const steps = latest.current.history
    if (steps) steps.current = { undo: () => undo(v), redo: () => redo(v) }
    return () => v.destroy()
  }, [])

  useEffect(() => {
    view.current?.dispatch({ effects: complete.current.reconfigure(autocompletion({ override: [completions(props.catalog)] })) })
  }, [props.catalog])

  useEffect(() => {
    const v = view.current!
    const was = v.state.doc.toString()
    if (was !== props.text) v.dispatch({ changes: difference(was, props.text), annotations: isolateHistory.of('full') })
  }, [props.text])

  useEffect(() => {
    const v = view.current!
    const doc = v.state.doc.toString()
    const at = fromBytes(props.text)
    const ranges = props.pieces
      .map((p) => ({ p, from: at(p.span[0]!), to: at(p.span[1]!) }))
      .filter((r) => doc === props.text && r.from < r.to)
      .map((r) => Decoration.mark({ class: `cm-piece cm-${r.p.verdict}${r.p.id === props.chosen ? ' cm-lit' : ''}`, attributes: { title: r.p.verdict } }).range(r.from, r.to))
    if (props.reveal) ranges.push(Decoration.mark({ class: 'cm-lit' }).range(at(props.reveal[0]), Math.max(at(props.reveal[1]), at(props.reveal[0]) + 1)))
    v.dispatch({ effects: setMarks.of(Decoration.set(ranges, true)) })
  }, [props.pieces, props.chosen, props.text, props.reveal])

  useEffect(() => {
    const v = view.current!
    const p = props.problem
    const found: Diagnostic[] = []
    if (p && p.start >= 0) {
      const at = fromBytes(props.text)
      const from = Math.min(at(p.start), v.state.doc.length)
      const to = Math.min(Math.max(at(p.end), from + 1), v.state.doc.length)
      found.push({ from: Math.min(from, to), to, severity: 'error', message: p.hint ? `${p.message} — ${p.hint}` : p.message })
    }
    v.dispatch(setDiagnostics(v.state, found))
  }, [props.problem, props.text])

  return <Box ref={host} flex="1" minH="0" overflow="hidden" display={props.hidden ? 'none' : undefined} />
}
