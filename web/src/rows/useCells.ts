import { useState } from 'react'
import { api, type Column } from '../api/client'
import { count } from '../lib/text'

/** Cells that are chosen, ends included. */
export interface Range {
  top: number
  bottom: number
  left: number
  right: number
}

interface Place {
  row: number
  column: number
}

const most = 50_000 // rows that are copied at once
const step = 1000 // rows that are asked for at once

/** Choosing cells with mouse and keys, and copying them as lines of tab-separated values. */
export function useCells({ run, columns, held, onMove }: { run: string; columns: Column[]; held: number; onMove: (row: number, column: number) => void }) {
  const [chosen, setChosen] = useState<{ run: string; from: Place; to: Place } | null>(null)
  const [said, setSaid] = useState('')
  const here = chosen?.run === run ? chosen : null
  const lastColumn = columns.length - 1
  const range: Range | null = here && {
    top: Math.min(here.from.row, here.to.row),
    bottom: Math.max(here.from.row, here.to.row),
    left: Math.min(here.from.column, here.to.column),
    right: Math.max(here.from.column, here.to.column),
  }
  const choose = (from: Place, to: Place) => {
    setSaid('')
    setChosen({ run, from, to })
  }
  const extend = (row: number, column: number) => here && choose(here.from, { row, column })
  /** A row's number, column −1, chooses the row. */
  const press = (e: React.MouseEvent, row: number, column: number) => {
    if (e.button !== 0) return
    const from = e.shiftKey && here ? here.from : { row, column: Math.max(column, 0) }
    choose(column < 0 ? { ...from, column: 0 } : from, { row, column: column < 0 ? lastColumn : column })
  }
  const copy = async (r: Range, heads: boolean) => {
    const bottom = Math.min(r.bottom, r.top + most - 1)
    try {
      const lines = heads ? [columns.slice(r.left, r.right + 1).map((c) => cell(c.name)).join('\t')] : []
      for (let at = r.top; at <= bottom; at += step) {
        for (const row of await api.rows(run, at, Math.min(step, bottom - at + 1))) lines.push(row.slice(r.left, r.right + 1).map(cell).join('\t'))
      }
      await navigator.clipboard.writeText(lines.join('\n'))
      const rows = bottom - r.top + 1
      setSaid(`Copied ${count(rows)} × ${count(r.right - r.left + 1)} cells${heads ? ' with the columns’ names' : ''}${bottom < r.bottom ? `; ${count(most)} rows are copied at most` : ''}`)
    } catch (error) {
      setSaid(`Nothing was copied: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
  const key = (e: React.KeyboardEvent) => {
    if (held === 0 || lastColumn < 0) return
    const command = e.ctrlKey || e.metaKey
    if (command && e.key.toLowerCase() === 'c' && range) {
      e.preventDefault()
      void copy(range, e.shiftKey)
      return
    }
    if (command && e.key.toLowerCase() === 'a') {
      e.preventDefault()
      choose({ row: 0, column: 0 }, { row: held - 1, column: lastColumn })
      return
    }
    if (e.key === 'Escape' && here) {
      setChosen(null)
      return
    }
    const at = here?.to ?? { row: -1, column: 0 }
    const moves: Record<string, Place> = {
      ArrowDown: { row: command ? held - 1 : at.row + 1, column: at.column },
      ArrowUp: { row: command ? 0 : at.row - 1, column: at.column },
      ArrowRight: { row: at.row, column: command ? lastColumn : at.column + 1 },
      ArrowLeft: { row: at.row, column: command ? 0 : at.column - 1 },
      PageDown: { row: at.row + 20, column: at.column },
      PageUp: { row: at.row - 20, column: at.column },
      Home: { row: command ? 0 : at.row, column: 0 },
      End: { row: command ? held - 1 : at.row, column: lastColumn },
    }
    const to = moves[e.key]
    if (!to) return
    e.preventDefault()
    const place = { row: Math.max(0, Math.min(to.row, held - 1)), column: Math.max(0, Math.min(to.column, lastColumn)) }
    choose(e.shiftKey && here ? here.from : place, place)
    onMove(place.row, place.column)
  }
  return { range, key, press, extend, said }
}

/** A value as a cell of tab-separated lines: in quotes where it has a tab, a line's end or a quote. */
const cell = (v: string | null) => (v === null ? '' : /[\t\r\n"]/.test(v) ? `"${v.replace(/"/g, '""')}"` : v)
