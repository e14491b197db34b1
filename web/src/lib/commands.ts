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

const subscribe = (tell: () => void) => {
  listeners.add(tell)
  return () => listeners.delete(tell)
}

export const useOffered = () => useSyncExternalStore(subscribe, () => current)
