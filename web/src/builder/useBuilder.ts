import { useCallback, useEffect, useRef, useState } from 'react'
import { api, ApiError, type Built, type FormEdit, type Problem, type Query } from '../api/client'
import type { Explained } from '../views/useExplain'

export interface Builder {
  query: Query
  built: Built | null // of the last text that could be read
  current: boolean // built is that of the text as it is
  problem: Problem | null // why the text cannot be read, or an edit was not made
  edit: (...edits: FormEdit[]) => Promise<boolean>
}

const none: (string | null)[] = []

/**
 * Reads a text as a form whenever it changes, and writes the form's edits into it. The
 * answer to an edit has the new text, its form and its explanation, so that nothing else is
 * asked for. Edits are made one after the other: one that is made before the answer to the
 * last is there says of which text it is, and the server finds its part again.
 */
export function useBuilder(query: Query, active: boolean, explained: Explained, onText: (sql: string) => void): Builder {
  const { sql, layer, view, foldOff, params = none } = query
  const [state, setState] = useState<{ built: Built | null; problem: Problem | null; of: string | null }>({ built: null, problem: null, of: null })
  const [refused, setRefused] = useState<{ problem: Problem; of: string } | null>(null)
  const latest = useRef(sql) // what the next edit is made in
  const known = useRef<string | null>(null) // the text whose form an edit has brought
  const queue = useRef<Promise<unknown>>(Promise.resolve())
  useEffect(() => {
    latest.current = sql
    if (!active || known.current === sql) return
    known.current = null
    const abort = new AbortController()
    api.build({ sql, layer: layer ?? '', view: view ?? '', params }, abort.signal).then(
      (built) => setState({ built, problem: null, of: sql }),
      (e: unknown) => {
        if (e instanceof ApiError) setState((s) => ({ built: s.built, problem: e.problem, of: sql }))
      },
    )
    return () => abort.abort()
  }, [sql, layer, view, params, active])
  const { take } = explained
  const edit = useCallback(
    (...edits: FormEdit[]) => {
      const one = async () => {
        try {
          const asked = { sql: latest.current, seen: sql, layer: layer ?? '', view: view ?? '', foldOff: foldOff ?? false, params, edits }
          const next = await api.editForm(asked)
          if (latest.current !== asked.sql) return await one() // typed meanwhile: once more, in that text
          latest.current = known.current = next.sql
          setRefused(null)
          setState({ built: next.built, problem: null, of: next.sql })
          take({ ...asked, sql: next.sql }, next.report, next.problem)
          onText(next.sql)
          return true
        } catch (e) {
          if (e instanceof ApiError) setRefused({ problem: e.problem, of: latest.current })
          return false
        }
      }
      const made = queue.current.then(one)
      queue.current = made
      return made
    },
    [sql, layer, view, foldOff, params, take, onText],
  )
  return { query, built: state.built, current: state.of === sql && state.problem === null, problem: (refused?.of === sql ? refused.problem : null) ?? (state.of === sql ? state.problem : null), edit }
}
