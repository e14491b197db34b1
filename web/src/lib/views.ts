import { type QueryClient, useQuery } from '@tanstack/react-query'
import { api } from '../api/client'

/** A view with its text and columns; nothing is asked for an empty name. */
export const useView = (name: string) => useQuery({ queryKey: ['view', name], queryFn: () => api.view(name), enabled: name !== '', staleTime: 30_000, retry: false })

/** Takes over what has changed of the project. */
export async function renewed(queries: QueryClient) {
  await Promise.all([queries.invalidateQueries({ queryKey: ['catalog'] }), queries.invalidateQueries({ queryKey: ['view'] })])
}
