import { useEffect, useState } from 'react'

const key = 'rovik-scheme'

/** The light or dark scheme: the system's until chosen, then remembered. */
export function useScheme(): [dark: boolean, toggle: () => void] {
  const [dark, setDark] = useState(() => {
    const kept = localStorage.getItem(key)
    return kept ? kept === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches
  })
  useEffect(() => {
    document.documentElement.classList.toggle('dark', dark)
    document.documentElement.style.colorScheme = dark ? 'dark' : 'light'
  }, [dark])
  return [
    dark,
    () => {
      localStorage.setItem(key, dark ? 'light' : 'dark')
      setDark(!dark)
    },
  ]
}
