import type { Completion, CompletionContext, CompletionResult, CompletionSource } from '@codemirror/autocomplete'
import type { Catalog } from '../api/client'
import { columnsOf } from '../builder/relations'
import { localName } from '../sources/TableList'

const words =
  'SELECT FROM WHERE JOIN LEFT ON AND OR NOT IN LIKE BETWEEN IS NULL GROUP BY HAVING ORDER LIMIT OFFSET AS CASE WHEN THEN ELSE END WITH UNION ALL DISTINCT CAST date count sum avg min max coalesce lower upper btrim extract'.split(' ')

/** Names that can stand in FROM, with what they are. */
function relations(catalog: Catalog): Map<string, string> {
  const out = new Map<string, string>()
  for (const v of catalog.views) out.set(`${v.layer}.${v.name}`, 'view')
  for (const s of catalog.sources) for (const t of s.found?.tables ?? []) if (!s.hidden.includes(localName(t))) out.set(`${s.name}.${t.name}`, 'table')
  return out
}

/** Completes relation names after FROM and JOIN, columns of an alias behind a dot, and columns and words elsewhere. */
export function completions(catalog: Catalog): CompletionSource {
  const all = relations(catalog)
  return async (context: CompletionContext): Promise<CompletionResult | null> => {
    const word = context.matchBefore(/[\w.]*/)!
    if (word.from === word.to && !context.explicit) return null
    const text = context.state.doc.toString()
    const aliases = new Map<string, string>()
    for (const m of text.matchAll(/\b(?:from|join|,)\s+([a-z_]\w*\.\w+(?:\.\w+)?)(?:\s+(?:as\s+)?([a-z_]\w*))?/gi)) {
      const alias = m[2] && !/^(on|where|join|left|right|cross|inner|group|order|limit|union|having)$/i.test(m[2]) ? m[2] : m[1]!.split('.').pop()!
      aliases.set(alias, m[1]!)
    }
    const before = text.slice(0, word.from)
    if (/\b(from|join)\s+$/i.test(before)) {
      return { from: word.from, options: [...all].map(([label, detail]) => ({ label, type: 'class', detail })) }
    }
    const dot = word.text.lastIndexOf('.')
    if (dot >= 0) {
      const owner = aliases.get(word.text.slice(0, dot)) ?? word.text.slice(0, dot)
      const options: Completion[] = all.has(owner) ? (await columnsOf(catalog, owner)).map(column) : [...all].filter(([n]) => n.startsWith(word.text)).map(([label, detail]) => ({ label: label.slice(dot + 1), detail }))
      return { from: word.from + dot + 1, options }
    }
    const options: Completion[] = words.map((label) => ({ label, type: 'keyword' }))
    for (const [alias, name] of aliases) {
      options.push({ label: alias, detail: name, type: 'variable' })
      if (all.has(name)) for (const c of await columnsOf(catalog, name)) options.push({ ...column(c), apply: `${alias}.${c.name}`, detail: `${alias}, ${c.type}` })
    }
    for (const [label, detail] of all) options.push({ label, detail, type: 'class', boost: -1 })
    return { from: word.from, options }
  }
}

const column = (c: { name: string; type: string }): Completion => ({ label: c.name, detail: c.type, type: 'property' })
