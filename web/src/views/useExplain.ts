import { useCallback, useEffect, useRef, useState } from 'react'
import { api, ApiError, type Problem, type Query, type Report } from '../api/client'

export interface Explained {
  report: Report | null // the last that could be made
  problem: Problem | null
  current: boolean // report belongs to the text as it is
  take: (query: Query, report: Report | null, problem: Problem | null) => void // an explanation that is there already
}

const keyOf = ({ sql, foldOff, layer, view, params }: Query) => JSON.stringify([sql, foldOff ?? false, layer ?? '', view ?? '', params ?? []])

/** Explains a query while it is written, without reading any data. */
export function useExplain(query: Query): Explained {
  const { sql, foldOff, layer, view, params } = query
  const [state, setState] = useState<{ report: Report | null; problem: Problem | null; of: string }>({ report: null, problem: null, of: '' })
  const of = keyOf(query)
  const known = useRef('') // the query that take brought the explanation of
  useEffect(() => {
    if (known.current === of) return
    known.current = ''
    const abort = new AbortController()
    const timer = setTimeout(async () => {
      if (!sql.trim()) return setState({ report: null, problem: null, of })
      try {
        const report = await api.explain({ sql, foldOff: foldOff ?? false, layer: layer ?? '', view: view ?? '', params: params ?? [] }, abort.signal)
        setState({ report, problem: null, of })
      } catch (e) {
        if (e instanceof ApiError) setState((s) => ({ report: s.report, problem: e.problem, of }))
      }
    }, 120)
    return () => {
      clearTimeout(timer)
      abort.abort()
    }
  }, [sql, foldOff, layer, view, params, of])
  const take = useCallback((query: Query, report: Report | null, problem: Problem | null) => {
    known.current = keyOf(query)
    setState((s) => ({ report: report ?? s.report, problem, of: known.current }))
  }, [])
  return { report: state.report, problem: state.of === of ? state.problem : null, current: state.of === of && state.problem === null, take }
}
