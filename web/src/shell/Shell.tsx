import { Box, Flex, IconButton, Text } from '@chakra-ui/react'
import { useQuery } from '@tanstack/react-query'
import { Moon, Sun } from 'lucide-react'
import { Navigate, NavLink, Route, Routes } from 'react-router'
import { api } from '../api/client'
import { useScheme } from '../lib/scheme'
import { LayersPage } from '../views/LayersPage'
import { LineagePage } from '../tracing/LineagePage'
import { RunsPage } from '../runs/RunsPage'
import { ConnectPage } from '../sources/ConnectPage'
import { ShapePage } from '../sources/ShapePage'
import { SourcesPage } from '../sources/SourcesPage'
import { RevisionsPage } from '../views/RevisionsPage'
import { ViewPage } from '../views/ViewPage'
import { Finder } from './Finder'
import { asksForToken, SignIn } from './SignIn'
import { Tree } from './Tree'

const places = [
  ['/query', 'New query'],
  ['/sources', 'Sources'],
  ['/layers', 'Layers'],
  ['/runs', 'Runs'],
] as const

/** The frame: the tree of names on the left, a page on the right. */
export function Shell() {
  const [dark, toggle] = useScheme()
  const catalog = useQuery({ queryKey: ['catalog'], queryFn: api.catalog })
  if (catalog.error && asksForToken(catalog.error)) return <SignIn />
  return (
    <Flex h="100%">
      <Flex as="aside" direction="column" w="236px" flexShrink={0} bg="rail" borderRight="1px solid" borderColor="line">
        <Flex align="center" px="3" h="44px" gap="2">
          <img src="/mark.svg" width={20} height={20} alt="" />
          <Text fontFamily="heading" fontSize="18px" fontWeight="600" letterSpacing="0.02em" flex="1">
            Rovik
          </Text>
          <IconButton size="2xs" variant="ghost" color="faint" _hover={{ bg: 'paper' }} aria-label={dark ? 'Light scheme' : 'Dark scheme'} title={dark ? 'Light scheme' : 'Dark scheme'} onClick={toggle}>
            {dark ? <Sun size={14} /> : <Moon size={14} />}
          </IconButton>
        </Flex>
        <Flex as="nav" px="3" pb="2" gap="2.5" fontSize="12px" whiteSpace="nowrap">
          {places.map(([to, label]) => (
            <NavLink key={to} to={to}>
              {({ isActive }) => (
                <Text color={isActive ? 'ink' : 'faint'} borderBottom="2px solid" borderColor={isActive ? 'tide' : 'transparent'} _hover={{ color: 'ink' }}>
                  {label}
                </Text>
              )}
            </NavLink>
          ))}
        </Flex>
        <Box flex="1" minH="0" borderTop="1px solid" borderColor="line">
          {catalog.data && <Tree catalog={catalog.data} />}
        </Box>
      </Flex>
      <Finder />
      <Box as="main" flex="1" minW="0" h="100%">
        {catalog.isPending && <Note>Reading the catalogue…</Note>}
        {catalog.isError && <Note>{catalog.error.message} Start the server again, then reload.</Note>}
        {catalog.data && (
          <Routes>
            <Route path="/" element={<Navigate to={firstPlace(catalog.data.views)} replace />} />
            <Route path="/query" element={<ViewPage catalog={catalog.data} />} />
            <Route path="/view/:layer/:name" element={<ViewPage catalog={catalog.data} />} />
            <Route path="/view/:layer/:name/revisions" element={<RevisionsPage catalog={catalog.data} />} />
            <Route path="/sources/:source?/:table?" element={<SourcesPage catalog={catalog.data} />} />
            <Route path="/sources/:source/shape/:set" element={<ShapePage catalog={catalog.data} />} />
            <Route path="/lineage/:name" element={<LineagePage catalog={catalog.data} />} />
            <Route path="/layers" element={<LayersPage catalog={catalog.data} />} />
            <Route path="/connect" element={<ConnectPage />} />
            <Route path="/runs" element={<RunsPage catalog={catalog.data} />} />
            <Route path="*" element={<Note>There is nothing at this address.</Note>} />
          </Routes>
        )}
      </Box>
    </Flex>
  )
}

/** Opens where there is something to see: a view that joins, else any. */
function firstPlace(views: { layer: string; name: string }[]): string {
  const v = views.find((v) => v.layer === 'joined' && v.name === 'object_on_loan') ?? views[0]
  return v ? `/view/${v.layer}/${v.name}` : '/sources'
}

function Note({ children }: { children: React.ReactNode }) {
  return (
    <Text p="6" color="faint">
      {children}
    </Text>
  )
}
