// A chart room: paper and ink above, a sea tint below the waterline.
import { createSystem, defaultConfig, defineConfig } from '@chakra-ui/react'

const pair = (light: string, dark: string) => ({ value: { base: light, _dark: dark } })

const config = defineConfig({
  globalCss: {
    'html, body, #root': { height: '100%' },
    body: { bg: 'paper', color: 'ink', fontSize: '13px', lineHeight: '1.4', overflow: 'hidden' },
    '*': { scrollbarWidth: 'thin', scrollbarColor: 'var(--chakra-colors-line) transparent' },
    '::selection': { bg: 'lit' },
    '*:focus-visible': { outline: '2px solid var(--chakra-colors-tide)', outlineOffset: '1px' },
  },
  theme: {
    tokens: {
      fonts: {
        heading: { value: "'Iowan Old Style', 'Palatino Linotype', Palatino, 'DejaVu Serif', Georgia, serif" },
        body: { value: "system-ui, 'Segoe UI', 'DejaVu Sans', sans-serif" },
        mono: { value: "ui-monospace, 'SF Mono', Menlo, 'DejaVu Sans Mono', monospace" },
      },
    },
    semanticTokens: {
      colors: {
        paper: pair('#f6f1e5', '#121a22'),
        sheet: pair('#fdfaf2', '#18222c'),
        rail: pair('#ece5d3', '#0e151c'),
        line: pair('#d3c8ae', '#2c3a47'),
        ink: pair('#1e2b38', '#e3ddcd'),
        faint: pair('#5c6470', '#9ba6b0'),
        sea: pair('#d9e7e6', '#12303a'),
        deep: pair('#c5dad9', '#17404c'),
        tide: pair('#235f68', '#7cc0c6'),
        lit: pair('#f3dc8f', '#6b5a1e'),
        folded: pair('#1f6168', '#7fc6c9'),
        narrowed: pair('#7f5a0c', '#e0b458'),
        kept: pair('#97392b', '#ee9a86'),
        // Chakra's own, so that its components follow.
        bg: pair('#fdfaf2', '#18222c'),
        fg: pair('#1e2b38', '#e3ddcd'),
        border: pair('#d3c8ae', '#2c3a47'),
      },
    },
  },
})

export const system = createSystem(defaultConfig, config)

const hues: [light: string, dark: string][] = [
  ['#8a5a3c', '#cf9c7a'],
  ['#5d6b2f', '#b0bd78'],
  ['#4b5f8f', '#9cb0de'],
  ['#7a4d80', '#c79bcc'],
  ['#8f6d1f', '#d8b765'],
  ['#3d6e55', '#8cc3a6'],
  ['#8c4257', '#dd98aa'],
  ['#566472', '#a9b7c5'],
]

/** One muted hue a source, by its place in the list, the same everywhere. */
export function hueOf(source: string, sources: string[]): string {
  const i = Math.max(0, sources.indexOf(source)) % hues.length
  return `light-dark(${hues[i]![0]}, ${hues[i]![1]})`
}
