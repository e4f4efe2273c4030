import { useQuery } from '@tanstack/react-query'
import type { Schemas } from '../../api/client'
import { ask } from '../../api/ask'

/** The attributes the organisation declared, those in use. */
export function useAttributes(asOf?: string): Schemas['Attribute'][] {
  const list = useQuery({
    staleTime: 60_000,
    ...ask('/api/v1/attributes', { params: { query: { as_of: asOf } } }),
  })
  return (list.data?.attributes ?? []).filter((a) => !a.retired)
}

/** Something a list can show and a filter can name. */
export type Column = { key: string; label: string; type: 'text' | 'date' | 'number' | 'truth'; oneOf?: string[]; sorts?: boolean }

/** What every user has. */
export const built: Column[] = [
  { key: 'name', label: 'Name', type: 'text', sorts: true },
  { key: 'user_name', label: 'User name', type: 'text', sorts: true },
  { key: 'title', label: 'Title', type: 'text', sorts: true },
  { key: 'unit', label: 'Unit', type: 'text', sorts: true },
  { key: 'status', label: 'Status', type: 'text', sorts: true, oneOf: ['active', 'invited', 'suspended', 'departed'] },
  { key: 'email', label: 'E-mail', type: 'text', sorts: true },
  { key: 'kind', label: 'Kind', type: 'text', sorts: true, oneOf: ['person', 'service'] },
  { key: 'manager', label: 'Manager', type: 'text' },
  { key: 'employment_type', label: 'Employment', type: 'text', sorts: true },
  { key: 'location', label: 'Location', type: 'text', sorts: true },
  { key: 'start_date', label: 'First day', type: 'date', sorts: true },
  { key: 'end_date', label: 'Last day', type: 'date', sorts: true },
]

/** The columns of a list that says nothing of them. */
export const usual = ['name', 'user_name', 'title', 'unit', 'status']

export const columnsOf = (declared: Schemas['Attribute'][]): Column[] => [
  ...built,
  ...declared.map((a): Column => ({ key: a.key, label: a.label, type: a.type, oneOf: a.allowed ?? undefined, sorts: true })),
]
