import { plural } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import type { Choice } from '../../shared/PickBox'
import { ask } from '../../api/ask'
import type { Schemas } from '../../api/client'

/** The roles and groups there are to pick from. */
export function useRoleChoices(): Choice[] {
  const roles = useQuery(ask('/api/v1/roles'))
  return (roles.data?.roles ?? [])
    .filter((r) => !r.retired)
    .map((r) => ({ key: r.key, label: r.label, hint: [r.application?.label, r.description].filter(Boolean).join(': ') }))
}

export function useGroupChoices(): Choice[] {
  const groups = useQuery(ask('/api/v1/groups'))
  return (groups.data?.groups ?? []).filter((g) => !g.built_in).map((g) => ({ key: g.key, label: g.label, hint: g.description }))
}

/** The people there are to pick from, by name. */
export function useUserChoices(): Choice[] {
  const users = useQuery(ask('/api/v1/users', { params: { query: { status: 'active', limit: 500 } } }))
  return (users.data?.users ?? []).map((u) => ({ key: u.user_name, label: u.display_name, hint: u.title }))
}

/** The units of the organisation. */
export const useUnitList = (enabled = true) => useQuery({ enabled, ...ask('/api/v1/units') }).data

/** The values that users may have for an attribute, or have. */
export function useValues(attribute: string): { value: string; users: number }[] | undefined {
  const units = useUnitList(attribute === 'unit')
  const others = useQuery({
    enabled: attribute !== 'unit',
    ...ask('/api/v1/attributes/{attribute}/values', { params: { path: { attribute } } }),
  })
  return attribute === 'unit' ? units?.units.map((u) => ({ value: u.path, users: u.users })) : others.data?.values
}

export const unitChoice = (u: Schemas['Unit']): Choice => ({
  key: u.path,
  label: u.label,
  hint: plural(u.users, { one: '# user', other: '# users' }),
})

/** The units there are to pick from. */
export function useUnits(): Choice[] {
  return (useUnitList()?.units ?? []).map(unitChoice)
}
