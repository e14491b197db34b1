import { useEffect, useState } from 'react'
import { api, ApiError, type Problem, type Query, type Report } from '../api/client'

interface Explained {
  report: Report | null // the last that could be made
  problem: Problem | null
  current: boolean // report belongs to the text as it is
}

/** Explains a query while it is written, without reading any data. */
export function useExplain(query: Query): Explained {
  const { sql, foldOff, layer, view } = query
  const [state, setState] = useState<Omit<Explained, 'current'> & { of: string }>({ report: null, problem: null, of: '' })
  const of = JSON.stringify([sql, foldOff, layer, view])
  useEffect(() => {
    const abort = new AbortController()
    const timer = setTimeout(async () => {
      if (!sql.trim()) return setState({ report: null, problem: null, of })
      try {
        const report = await api.explain({ sql, foldOff: foldOff ?? false, layer: layer ?? '', view: view ?? '' }, abort.signal)
        setState({ report, problem: null, of })
      } catch (e) {
        if (e instanceof ApiError) setState((s) => ({ report: s.report, problem: e.problem, of }))
      }
    }, 120)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [sql, foldOff, layer, view, of])
  return { report: state.report, problem: state.of === of ? state.problem : null, current: state.of === of && state.problem === null }
}
