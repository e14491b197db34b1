import { useEffect, useSyncExternalStore } from 'react'

/** Something that the page at hand can do, offered under Ctrl+K. */
export interface Command {
  title: string
  keys?: string // that do it too
  run: () => void
}

let current: Command[] = []
const listeners = new Set<() => void>()

function set(commands: Command[]) {
  current = commands
  for (const tell of listeners) tell()
}

/** Offers commands for as long as the page is there. */
export function useCommands(commands: Command[]) {
  useEffect(() => {
    set(commands)
    return () => set([])
  }, [commands])
}

/** Presses of keys that a command names do it, wherever the focus is, unless what has it took them. */
function pressed(e: KeyboardEvent) {
  if (e.defaultPrevented || e.altKey || e.shiftKey || !(e.ctrlKey || e.metaKey)) return
  const keys = `Ctrl+${e.key.length === 1 ? e.key.toUpperCase() : e.key}`
  const command = current.find((c) => c.keys === keys)
  if (!command) return
  e.preventDefault()
  command.run()
}
window.addEventListener('keydown', pressed)

const subscribe = (tell: () => void) => {
  listeners.add(tell)
  return () => listeners.delete(tell)
}

export const useOffered = () => useSyncExternalStore(subscribe, () => current)
