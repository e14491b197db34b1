import { useCallback, useEffect, useRef, useState } from 'react'
import { api, ApiError, followRun, isGoing, type Problem, type Query, type RunStatus } from '../api/client'

/** Runs a query and follows it. */
export function useRun() {
  const [id, setId] = useState<string | null>(null)
  const [ran, setRan] = useState<{ sql: string; foldOff: boolean; params: (string | null)[] }>({ sql: '', foldOff: false, params: [] })
  const [status, setStatus] = useState<RunStatus | null>(null)
  const [problem, setProblem] = useState<Problem | null>(null)
  const [starting, setStarting] = useState(false)
  const unfollow = useRef<() => void>(undefined)
  useEffect(() => () => unfollow.current?.(), [])

  const start = useCallback(async (q: Query) => {
    setStarting(true)
    setProblem(null)
    unfollow.current?.()
    try {
      const run = await api.startRun(q)
      setId(run.id)
      setRan({ sql: q.sql, foldOff: q.foldOff ?? false, params: q.params ?? [] })
      setStatus(null)
      unfollow.current = followRun(
        run.id,
        (s) => {
          setStatus(s)
          setProblem(s.problem)
        },
        () => setProblem({ code: '', message: 'The server was lost while the query ran.', hint: 'Start it again, then run the query again.', view: '', start: -1, end: -1 }),
      )
    } catch (e) {
      setRan({ sql: q.sql, foldOff: q.foldOff ?? false, params: q.params ?? [] })
      if (e instanceof ApiError) setProblem(e.problem)
    } finally {
      setStarting(false)
    }
  }, [])
  const stop = useCallback(() => {
    if (id) api.stopRun(id).catch((e) => e instanceof ApiError && setProblem(e.problem))
  }, [id])
  return { id, ...ran, status, problem, start, stop, running: starting || (status !== null && isGoing(status)) }
}
