import { useQuery } from '@tanstack/react-query'
import type { Choice } from '../../shared/PickBox'
import { ask } from '../../api/ask'
import { count, unitWords } from '../../shared/words'

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

/** The values that users have for an attribute. */
export function useValues(attribute: string): { value: string; users: number }[] | undefined {
  return useQuery(ask('/api/v1/attributes/{attribute}/values', { params: { path: { attribute } } })).data?.values
}

/** The units there are to pick from. */
export function useUnits(): Choice[] {
  return (useValues('unit') ?? []).map((u) => ({ key: u.value, label: unitWords(u.value), hint: count(u.users, 'user') }))
}
