import { useMemo, useState } from 'react'
import type { ViewInfo } from '../api/client'

/** What is said of the columns of a text, kept with it when it is saved. */
export interface Said {
  of: (column: string) => { text: string; inherited: string }
  say: (column: string, text: string) => void
  changed: Record<string, string>
  clear: () => void
}

export function useSaid(view: ViewInfo | undefined): Said {
  const [changed, setChanged] = useState<Record<string, string>>({})
  return useMemo(() => {
    const known = new Map(view?.columns.map((c) => [c.name, c]))
    const of = (column: string) => {
      const c = known.get(column)
      const own = c && !c.from ? c.description : ''
      return { text: changed[column] ?? own, inherited: c?.from ? `${c.description} — from ${c.from}` : '' }
    }
    return { of, say: (column, text) => setChanged((s) => ({ ...s, [column]: text })), changed, clear: () => setChanged({}) }
  }, [view, changed])
}
