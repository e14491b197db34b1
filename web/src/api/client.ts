// The server's API: the client and its types are those of the OpenAPI document.
import createClient from 'openapi-fetch'
import type { components, paths } from './schema.gen'

type Schemas = components['schemas']
export type Catalog = Schemas['Catalog']
export type SourceInfo = Schemas['SourceInfo']
export type Table = Schemas['Table']
export type TableColumn = Schemas['Column']
export type ViewInfo = Schemas['ViewInfo']
export type Report = Schemas['Report']
export type Piece = Schemas['ReportPiece']
export type Statement = Schemas['ReportStatement']
export type Operator = Schemas['ReportOperator']
export type RunStatus = Omit<Schemas['RunStatus'], 'report' | 'progress'> & { report: Report }
export type ActiveRun = Schemas['ActiveRun']
export type PastRun = Schemas['PastRun']
export type Column = Schemas['ReportColumn']
export type Problem = Schemas['Problem']
export type SourcePlan = Schemas['SourcePlan']
export type Step = Schemas['SourceStep']
export type NewSource = Schemas['NewSource']
export type Revision = Schemas['ViewRevision']
export type Effects = Schemas['ViewEffects']
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
export type Renamed = Schemas['ViewRenamed']
export type Built = Schemas['Built']
export type FormBlock = Schemas['FormBlock']
export type FormInput = Schemas['FormInput']
export type FormOutput = Schemas['FormOutput']
export type FormPart = Schemas['FormPart']
export type FormEdit = Schemas['FormEdit']
export type FormColumn = Schemas['FormColumn']
export type InputFacts = Schemas['FormInputFacts']
export type BuildRequest = Schemas['BuildRequest']
export type CleaningOffer = Schemas['FormOffer']
export type CleaningStep = Schemas['FormClean']
export type ColumnProfile = Schemas['ColumnProfile']
export type JoinSuggestion = Schemas['JoinSuggestion']
export type JoinMeasure = Schemas['JoinMeasure']
export type Meeting = Schemas['FormMeeting']
export type Preview = Schemas['Preview']
export type Rewrite = Schemas['ReportRewrite']
export type Verdict = Piece['verdict']

/** What the server says is wrong, with its place in the text. */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.message)
  }
}

/** Sends a request; a server that does not answer is an error that says what to do. */
async function ask(request: Request): Promise<Response> {
  try {
    return await fetch(request)
  } catch (e) {
    if (e instanceof DOMException && e.name === 'AbortError') throw e
    throw new ApiError({ code: '', message: 'The server does not answer.', hint: 'Start it again, then reload.', view: '', start: -1, end: -1 })
  }
}

/** Names this page, so that its runs and those of others take turns. */
const session = Array.from(crypto.getRandomValues(new Uint8Array(8)), (b) => b.toString(16).padStart(2, '0')).join('')

const { GET, POST, DELETE } = createClient<paths>({ fetch: ask, headers: { 'Content-Type': 'application/json', 'Rovik-Session': session } })

/** The body of a response; what the server says is wrong is thrown. */
async function body<T>(sent: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await sent
  if (!response.ok) throw new ApiError(error as Problem)
  return data as T
}

/** The path of a view, a column or a source. */
const of = (name: string) => ({ path: { name } })

export type Direction = NonNullable<paths['/api/lineage/{name}/graph']['get']['parameters']['query']>['direction']
export type Change = NonNullable<paths['/api/impact/{name}']['get']['parameters']['query']>['if']
export type Query = Schemas['QueryRequest']

export const api = {
  catalog: () => body(GET('/api/catalog')),
  explain: (q: Query, signal: AbortSignal) => body(POST('/api/explain', { body: q, signal })),
  sourcePlan: (q: Query, signal: AbortSignal) => body(POST('/api/source-plan', { body: q, signal })),
  parameters: (q: Query, signal: AbortSignal) => body(POST('/api/parameters', { body: q, signal })),
  startRun: (q: Query) => body(POST('/api/runs', { body: q })),
  stopRun: (id: string) => body(POST('/api/runs/{id}/stop', { params: { path: { id } } })),
  rows: (id: string, offset: number, limit: number) => body(GET('/api/runs/{id}/rows', { params: { path: { id }, query: { offset, limit } } })),
  activeRuns: () => body(GET('/api/runs/active')),
  pastRuns: () => body(GET('/api/runs')),
  draft: (q: BuildRequest) => body(POST('/api/build/draft', { body: q })),
  describe: (view: string, n: Schemas['NotesRequest']) => body(POST('/api/views/{name}/notes', { params: of(view), body: n })),
  planRename: (r: RenameRequest, signal: AbortSignal) => body(POST('/api/rename', { body: { ...r, seen: '' }, signal })),
  rename: (r: RenameRequest) => body(POST('/api/rename', { body: r })),
  build: (q: BuildRequest, signal: AbortSignal) => body(POST('/api/build', { body: q, signal })),
  editForm: (r: Schemas['EditRequest']) => body(POST('/api/build/edit', { body: r })),
  preview: (q: BuildRequest, signal: AbortSignal) => body(POST('/api/build/preview', { body: q, signal })),
  profile: (q: BuildRequest, signal: AbortSignal) => body(POST('/api/build/profile', { body: q, signal })),
  suggestJoins: (q: BuildRequest, signal: AbortSignal) => body(POST('/api/build/joins', { body: q, signal })),
  measureJoin: (q: BuildRequest, signal: AbortSignal) => body(POST('/api/build/measure', { body: q, signal })),
  view: (name: string) => body(GET('/api/views/{name}', { params: of(name) })),
  columnNames: (like: string, signal: AbortSignal) => body(GET('/api/columns', { params: { query: { like } }, signal })),
  removeView: (name: string, force: boolean) => body(DELETE('/api/views/{name}', { params: { ...of(name), query: { force } } })),
  saveView: (v: Schemas['ViewRequest']) => body(POST('/api/views', { body: v })),
  connectSource: (s: NewSource) => body(POST('/api/sources', { body: s })),
  trySource: (s: NewSource) => body(POST('/api/sources/try', { body: s })),
  compareSource: (name: string) => body(POST('/api/sources/{name}/compare', { params: of(name) })),
  hideTables: (name: string, hidden: string[], force: boolean) => body(POST('/api/sources/{name}/hide', { params: of(name), body: { hidden, force } })),
  tryKept: (name: string) => body(POST('/api/sources/{name}/try', { params: of(name) })),
  lookAt: (source: string, table: string, signal: AbortSignal) => body(POST('/api/sources/{name}/look', { params: of(source), body: { table }, signal })),
  mostFrequent: (source: string, table: string, column: string, signal: AbortSignal) => body(POST('/api/sources/{name}/frequent', { params: of(source), body: { table, column }, signal })),
  removeSource: (name: string, force: boolean) => body(DELETE('/api/sources/{name}', { params: { ...of(name), query: { force } } })),
  retype: (source: string, r: Schemas['RetypeRequest']) => body(POST('/api/sources/{name}/retype', { params: of(source), body: r })),
  effects: (v: Schemas['ViewRequest'], signal: AbortSignal) => body(POST('/api/views/effects', { body: v, signal })),
  revisions: (name: string) => body(GET('/api/views/{name}/revisions', { params: of(name) })),
  search: (words: string, signal: AbortSignal) => body(GET('/api/search', { params: { query: { words } }, signal })),
  lineage: (name: string, signal: AbortSignal) => body(GET('/api/lineage/{name}', { params: of(name), signal })),
  lineageGraph: (name: string, direction: Direction, signal: AbortSignal) => body(GET('/api/lineage/{name}/graph', { params: { ...of(name), query: { direction } }, signal })),
  impact: (name: string, change: Change, type: string, signal: AbortSignal) => body(GET('/api/impact/{name}', { params: { ...of(name), query: { if: change, type } }, signal })),
  quirkImpact: (source: string, quirk: string, signal: AbortSignal) => body(GET('/api/sources/{name}/quirk-impact', { params: { ...of(source), query: { quirk } }, signal })),
  setLimits: (source: string, l: Schemas['SourceLimits']) => body(POST('/api/sources/{name}/limits', { params: of(source), body: l })),
  declareKey: (source: string, r: Schemas['KeyRequest']) => body(POST('/api/sources/{name}/keys', { params: of(source), body: r })),
  checkSource: (name: string) => body(POST('/api/sources/{name}/check', { params: of(name) })),
  history: (name: string) => body(GET('/api/sources/{name}/history', { params: of(name) })),
  sent: (name: string) => body(GET('/api/sources/{name}/sent', { params: of(name) })),
  shapedSets: (source: string) => body(GET('/api/sources/{name}/shapes', { params: of(source) })),
  proposeShape: (source: string, set: string, rows: string) => body(POST('/api/sources/{name}/shapes/propose', { params: of(source), body: { set, rows } })),
  tryShape: (source: string, shape: Schemas['Shape'], record: number, signal: AbortSignal) => body(POST('/api/sources/{name}/shapes/try', { params: of(source), body: { shape, record }, signal })),
  saveShape: (source: string, shape: Schemas['Shape'], force: boolean) => body(POST('/api/sources/{name}/shapes', { params: of(source), body: { shape, force } })),
  refreshSource: (name: string) => body(POST('/api/sources/{name}/refresh', { params: of(name) })),
}

/** Whether a run waits for its turn or goes on. */
export const isGoing = (s: { state: string }) => s.state === 'waiting' || s.state === 'running'

/** A report with the numbers that have changed. */
function advanced(report: Report, { statements, operators, ...totals }: Schemas['ReportProgress']): Report {
  const changed = new Map([...statements, ...operators].map((c) => [c.id, c]))
  return { ...report, ...totals, statements: report.statements.map((s) => ({ ...s, ...changed.get(s.id) })), operators: report.operators.map((o) => ({ ...o, ...changed.get(o.id) })) }
}

/** Follows a run until it ends; returns what stops following. */
export function followRun(id: string, onStatus: (s: RunStatus) => void, onLost: () => void): () => void {
  const events = new EventSource(`/api/runs/${id}/events`)
  let report: Report | null = null
  events.onmessage = (e) => {
    const { progress, ...status } = JSON.parse(String(e.data)) as Schemas['RunStatus']
    if (!isGoing(status)) events.close()
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
