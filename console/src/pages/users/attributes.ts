import { useQuery } from '@tanstack/react-query'
import type { Schemas } from '../../api/client'
import { ask } from '../../api/ask'

/** The attributes of users: those that all have, and those the organisation declared and
 * uses. */
export function useAttributes(asOf?: string): { builtIn: Schemas['BuiltInAttribute'][]; declared: Schemas['Attribute'][] } {
  const list = useQuery({ ...ask('/api/v1/attributes', { params: { query: { as_of: asOf } } }), staleTime: 60_000 })
  return { builtIn: list.data?.built_in ?? [], declared: (list.data?.attributes ?? []).filter((a) => !a.retired) }
}

/** Something a list can show and a filter can name. */
export type Column = {
  key: string
  label: string
  type: 'text' | 'date' | 'number' | 'truth'
  oneOf?: string[]
  sorts?: boolean
  /** Of which attribute the values that users have are offered. */
  values?: string
}

/** Whether the values that users have for an attribute are told. */
export const hasValues = (a: { key: string; type: string; personal?: boolean; one_of?: string[]; allowed?: string[] }) =>
  a.type === 'text' && !a.personal && !a.one_of && !a.allowed && a.key !== 'manager'

/** The columns of a list that says nothing of them. */
export const usual = ['name', 'user_name', 'title', 'unit', 'status']

export const columnsOf = ({ builtIn, declared }: ReturnType<typeof useAttributes>): Column[] => [
  ...builtIn.map((a): Column => ({
    key: a.key === 'display_name' ? 'name' : a.key,
    label: a.label,
    type: a.type,
    oneOf: a.one_of,
    sorts: a.key !== 'manager',
    values: hasValues(a) ? a.key : undefined,
  })),
  ...declared.map((a): Column => ({
    key: a.key,
    label: a.label,
    type: a.type,
    oneOf: a.allowed ?? undefined,
    sorts: true,
    values: hasValues(a) ? a.key : undefined,
  })),
]

/** The value of a built-in attribute, as it is written. */
export function builtInOf(u: Schemas['User'], key: string): string {
  const value = key === 'manager' ? u.manager?.label : (u as Record<string, unknown>)[key]
  return typeof value === 'string' ? value : ''
}
