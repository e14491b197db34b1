// The server counts bytes of UTF-8, the page UTF-16 units.

/** Returns a function from byte offsets in text to string offsets. */
export function fromBytes(text: string): (byte: number) => number {
  let ascii = true
  for (let i = 0; i < text.length; i++) if (text.charCodeAt(i) > 127) ascii = false
  if (ascii) return (b) => Math.max(0, Math.min(b, text.length))
  const at: number[] = []
  let unit = 0
  for (const ch of text) {
    const size = new TextEncoder().encode(ch).length
    for (let i = 0; i < size; i++) at.push(unit)
    unit += ch.length
  }
  at.push(unit)
  return (b) => at[Math.max(0, Math.min(b, at.length - 1))] ?? unit
}

const whole = new Intl.NumberFormat('en')

export const count = (n: number) => whole.format(n)

/** 1,234 rows, with the right number. */
export const rows = (n: number) => `${count(n)} ${n === 1 ? 'row' : 'rows'}`

export function bytes(n: number): string {
  if (n < 1000) return `${n} B`
  if (n < 1e6) return `${(n / 1e3).toFixed(n < 1e4 ? 1 : 0)} kB`
  return `${(n / 1e6).toFixed(n < 1e7 ? 1 : 0)} MB`
}

export function millis(ms: number): string {
  if (ms < 10) return `${ms.toFixed(1)} ms`
  if (ms < 1000) return `${Math.round(ms)} ms`
  return `${(ms / 1000).toFixed(ms < 10000 ? 2 : 1)} s`
}

/** Shortens a text in its middle. */
export function middle(s: string, max: number): string {
  if (s.length <= max) return s
  const head = Math.ceil((max - 1) / 2)
  return s.slice(0, head) + '…' + s.slice(s.length - (max - 1 - head))
}

/** Whether values of a type stand to the right, as numbers do. */
export const isNumeric = (type: string) => /^(smallint|integer|bigint|numeric|real|double)/.test(type) && !type.endsWith('[]')

/** Seconds in the largest unit that says them. */
export function duration(seconds: number): string {
  for (const [unit, size] of [
    ['h', 3600],
    ['min', 60],
  ] as const)
    if (seconds >= size && seconds % size === 0) return `${seconds / size} ${unit}`
  return seconds < 120 ? `${seconds} s` : `${Math.floor(seconds / 60)} min`
}
