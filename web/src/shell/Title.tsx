import { chakra } from '@chakra-ui/react'

/** The first-level heading of a page; each has one. */
export function Title({ children, hint }: { children: React.ReactNode; hint?: string }) {
  return (
    <chakra.h1 fontFamily="heading" fontSize="17px" fontWeight="600" whiteSpace="nowrap" minW="0" truncate title={hint}>
      {children}
    </chakra.h1>
  )
}
