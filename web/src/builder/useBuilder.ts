import { useCallback, useEffect, useState } from 'react'
import { api, ApiError, type Built, type FormEdit, type Problem, type Query } from '../api/client'

export interface Builder {
  query: Query
  built: Built | null // of the last text that could be read
  current: boolean // built is that of the text as it is
  problem: Problem | null // why the text cannot be read, or an edit was not made
  edit: (...edits: FormEdit[]) => Promise<boolean>
}

/** Reads a text as a form whenever it changes, and writes the form's edits into it. */
export function useBuilder(query: Query, active: boolean, onText: (sql: string) => void): Builder {
  const { sql, layer, view } = query
  const [state, setState] = useState<{ built: Built | null; problem: Problem | null; of: string | null }>({ built: null, problem: null, of: null })
  const [refused, setRefused] = useState<{ problem: Problem; of: string } | null>(null)
  useEffect(() => {
    if (!active) return
    const abort = new AbortController()
    api.build({ sql, layer: layer ?? '', view: view ?? '' }, abort.signal).then(
      (built) => setState({ built, problem: null, of: sql }),
      (e: unknown) => {
        if (e instanceof ApiError) setState((s) => ({ built: s.built, problem: e.problem, of: sql }))
      },
    )
    return () => abort.abort()
  }, [sql, layer, view, active])
  const edit = useCallback(
    async (...edits: FormEdit[]) => {
      try {
        const next = await api.editForm(sql, edits)
        setRefused(null)
        onText(next.sql)
        return true
      } catch (e) {
        if (e instanceof ApiError) setRefused({ problem: e.problem, of: sql })
        return false
      }
    },
    [sql, onText],
  )
  return { query, built: state.built, current: state.of === sql && state.problem === null, problem: (refused?.of === sql ? refused.problem : null) ?? (state.of === sql ? state.problem : null), edit }
}
