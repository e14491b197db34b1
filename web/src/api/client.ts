// The server's API, with the types that its OpenAPI document gives.
import type { components } from './schema.gen'

type Schemas = components['schemas']
export type Catalog = Schemas['Catalog']
export type SourceInfo = Schemas['SourceInfo']
export type Table = Schemas['Table']
export type ViewInfo = Schemas['ViewInfo']
export type Report = Schemas['Report']
export type Piece = Schemas['ReportPiece']
export type Statement = Schemas['ReportStatement']
export type Operator = Schemas['ReportOperator']
export type RunStatus = Omit<Schemas['RunStatus'], 'report' | 'progress'> & { report: Report }
export type PastRun = Schemas['PastRun']
export type Column = Schemas['ReportColumn']
export type Problem = Schemas['Problem']
export type SourcePlan = Schemas['SourcePlan']
export type Step = Schemas['Step']
export type NewSource = Schemas['NewSource']
export type Revision = Schemas['Revision']
export type Effects = Schemas['Effects']
export type LineageGraph = Schemas['LineageGraph']
export type LineageEdge = Schemas['LineageEdge']
export type LineageNode = Schemas['LineageNode']
export type ColumnLineage = Schemas['ColumnLineage']
export type DeclaredKey = Schemas['DeclaredKey']
export type Match = Schemas['Match']
export type Impact = Schemas['Impact']
export type QuirkImpact = Schemas['QuirkImpact']
export type Differences = Schemas['Differences']
export type Look = Schemas['Look']
export type RenameRequest = Schemas['RenameRequest']
export type Renamed = Schemas['Renamed']
export type Built = Schemas['Built']
export type FormBlock = Schemas['FormBlock']
export type FormInput = Schemas['FormInput']
export type FormOutput = Schemas['FormOutput']
export type FormPart = Schemas['FormPart']
export type FormEdit = Schemas['FormEdit']
export type FormColumn = Schemas['FormColumn']
export type InputFacts = Schemas['InputFacts']
export type BuildRequest = Schemas['BuildRequest']
export type CleaningOffer = Schemas['CleaningOffer']
export type CleaningStep = Schemas['CleaningStep']
export type ColumnProfile = Schemas['ColumnProfile']
export type JoinSuggestion = Schemas['JoinSuggestion']
export type JoinMeasure = Schemas['JoinMeasure']
export type Meeting = Schemas['Meeting']
export type Preview = Schemas['Preview']
export type Rewrite = Schemas['ReportRewrite']
export type Verdict = Piece['verdict']

/** What the server says is wrong, with its place in the text. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.message)
  }
}

async function call<T>(path: string, init?: RequestInit): Promise<T> {
  let response: Response
  try {
    response = await fetch('/api' + path, { headers: { 'Content-Type': 'application/json' }, ...init })
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new ApiError({ code: '', message: 'The server does not answer.', hint: 'Start it again, then reload.', view: '', start: -1, end: -1 })
  }
  if (response.status === 204) return undefined as T
  const body: unknown = await response.json()
  if (!response.ok) throw new ApiError(body as Problem)
  return body as T
}

const post = <T>(path: string, body: unknown, signal?: AbortSignal) =>
  call<T>(path, { method: 'POST', body: JSON.stringify(body), signal })

export type Query = Schemas['QueryRequest']

export const api = {
  catalog: () => call<Catalog>('/catalog'),
  explain: (q: Query, signal: AbortSignal) => post<Report>('/explain', q, signal),
  sourcePlan: (q: Query, signal: AbortSignal) => post<SourcePlan[]>('/source-plan', q, signal),
  startRun: (q: Query) => post<Schemas['StartedRun']>('/runs', q),
  stopRun: (id: string) => post<void>(`/runs/${id}/stop`, {}),
  rows: (id: string, offset: number, limit: number) => call<(string | null)[][]>(`/runs/${id}/rows?offset=${offset}&limit=${limit}`),
  pastRuns: () => call<PastRun[]>('/runs'),
  draft: (q: BuildRequest) => post<Schemas['DraftedText']>('/build/draft', q),
  describe: (view: string, n: Schemas['NotesRequest']) => post<ViewInfo>(`/views/${encodeURIComponent(view)}/notes`, n),
  planRename: (r: RenameRequest, signal: AbortSignal) => post<Renamed>('/rename', { ...r, seen: '' }, signal),
  rename: (r: RenameRequest) => post<Renamed>('/rename', r),
  build: (q: BuildRequest, signal: AbortSignal) => post<Built>('/build', q, signal),
  editForm: (r: Schemas['EditRequest']) => post<Schemas['EditedText']>('/build/edit', r),
  preview: (q: BuildRequest, signal: AbortSignal) => post<Preview>('/build/preview', q, signal),
  profile: (q: BuildRequest, signal: AbortSignal) => post<ColumnProfile>('/build/profile', q, signal),
  suggestJoins: (q: BuildRequest, signal: AbortSignal) => post<JoinSuggestion[]>('/build/joins', q, signal),
  measureJoin: (q: BuildRequest, signal: AbortSignal) => post<JoinMeasure>('/build/measure', q, signal),
  view: (name: string) => call<ViewInfo>(`/views/${encodeURIComponent(name)}`),
  columnNames: (like: string, signal: AbortSignal) => call<string[]>(`/columns?like=${encodeURIComponent(like)}`, { signal }),
  removeView: (name: string, force: boolean) => call<void>(`/views/${encodeURIComponent(name)}?force=${force}`, { method: 'DELETE' }),
  saveView: (v: Schemas['ViewRequest']) => post<ViewInfo>('/views', v),
  connectSource: (s: NewSource) => post<SourceInfo>('/sources', s),
  trySource: (s: NewSource) => post<Step[]>('/sources/try', s),
  compareSource: (name: string) => post<Schemas['Differences']>(`/sources/${encodeURIComponent(name)}/compare`, {}),
  hideTables: (name: string, hidden: string[], force: boolean) => post<SourceInfo>(`/sources/${encodeURIComponent(name)}/hide`, { hidden, force }),
  tryKept: (name: string) => post<Step[]>(`/sources/${encodeURIComponent(name)}/try`, {}),
  lookAt: (source: string, table: string, signal: AbortSignal) => post<Schemas['Look']>(`/sources/${encodeURIComponent(source)}/look`, { table }, signal),
  mostFrequent: (source: string, table: string, column: string, signal: AbortSignal) =>
    post<Schemas['Frequent'][]>(`/sources/${encodeURIComponent(source)}/frequent`, { table, column }, signal),
  removeSource: (name: string, force: boolean) => call<void>(`/sources/${encodeURIComponent(name)}?force=${force}`, { method: 'DELETE' }),
  retype: (source: string, r: Schemas['RetypeRequest']) => post<SourceInfo>(`/sources/${encodeURIComponent(source)}/retype`, r),
  effects: (v: Schemas['ViewRequest'], signal: AbortSignal) => post<Effects>('/views/effects', v, signal),
  revisions: (name: string) => call<Revision[]>(`/views/${encodeURIComponent(name)}/revisions`),
  search: (words: string, signal: AbortSignal) => call<Schemas['Match'][]>(`/search?words=${encodeURIComponent(words)}`, { signal }),
  lineage: (name: string, signal: AbortSignal) => call<ColumnLineage[]>(`/lineage/${encodeURIComponent(name)}`, { signal }),
  lineageGraph: (name: string, direction: string, signal: AbortSignal) => call<LineageGraph>(`/lineage/${encodeURIComponent(name)}/graph?direction=${direction}`, { signal }),
  impact: (name: string, change: string, type: string, signal: AbortSignal) =>
    call<Schemas['Impact']>(`/impact/${encodeURIComponent(name)}?if=${change}&type=${encodeURIComponent(type)}`, { signal }),
  quirkImpact: (source: string, quirk: string, signal: AbortSignal) => call<QuirkImpact>(`/sources/${encodeURIComponent(source)}/quirk-impact?quirk=${encodeURIComponent(quirk)}`, { signal }),
  setLimits: (source: string, l: Schemas['Limits']) => post<SourceInfo>(`/sources/${encodeURIComponent(source)}/limits`, l),
  declareKey: (source: string, r: Schemas['KeyRequest']) => post<SourceInfo>(`/sources/${encodeURIComponent(source)}/keys`, r),
  checkSource: (name: string) => post<SourceInfo>(`/sources/${encodeURIComponent(name)}/check`, {}),
  history: (name: string) => call<Schemas['SourceEvent'][]>(`/sources/${encodeURIComponent(name)}/history`),
  sent: (name: string) => call<Schemas['SentStatement'][]>(`/sources/${encodeURIComponent(name)}/sent`),
  shapedSets: (source: string) => call<Schemas['ShapedSet'][]>(`/sources/${encodeURIComponent(source)}/shapes`),
  proposeShape: (source: string, set: string, rows: string) => post<Schemas['Shape']>(`/sources/${encodeURIComponent(source)}/shapes/propose`, { set, rows }),
  tryShape: (source: string, shape: Schemas['Shape'], record: number, signal: AbortSignal) => post<Schemas['Trial']>(`/sources/${encodeURIComponent(source)}/shapes/try`, { shape, record }, signal),
  saveShape: (source: string, shape: Schemas['Shape'], force: boolean) => post<SourceInfo>(`/sources/${encodeURIComponent(source)}/shapes`, { shape, force }),
  refreshSource: (name: string) => post<SourceInfo>(`/sources/${encodeURIComponent(name)}/refresh`, {}),
}

/** A report with the numbers that have changed. */
function advanced(report: Report, { statements, operators, ...totals }: Schemas['Progress']): Report {
  const changed = new Map([...statements, ...operators].map((c) => [c.id, c]))
  return { ...report, ...totals, statements: report.statements.map((s) => ({ ...s, ...changed.get(s.id) })), operators: report.operators.map((o) => ({ ...o, ...changed.get(o.id) })) }
}

/** Follows a run until it ends; returns what stops following. */
export function followRun(id: string, onStatus: (s: RunStatus) => void, onLost: () => void): () => void {
  const events = new EventSource(`/api/runs/${id}/events`)
  let report: Report | null = null
  events.onmessage = (e) => {
    const { progress, ...status } = JSON.parse(String(e.data)) as Schemas['RunStatus']
    if (status.state !== 'running') events.close()
    report = status.report ?? (report && progress ? advanced(report, progress) : report)
    if (report) onStatus({ ...status, report })
  }
  events.onerror = () => {
    if (events.readyState === EventSource.CLOSED) return
    events.close()
    onLost()
  }
  return () => events.close()
}
