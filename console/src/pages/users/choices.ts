import { useQuery } from '@tanstack/react-query'
import { answer, api } from '../../api/client'
import type { Choice } from '../../shared/PickBox'

/** The roles and groups there are to pick from. */
export function useRoleChoices(): Choice[] {
  const roles = useQuery({ queryKey: ['roles', undefined], queryFn: () => answer(api.GET('/api/v1/roles')) })
  return (roles.data?.roles ?? [])
    .filter((r) => !r.retired)
    .map((r) => ({ key: r.key, label: r.label, hint: [r.application?.label, r.description].filter(Boolean).join(': ') }))
}

export function useGroupChoices(): Choice[] {
  const groups = useQuery({ queryKey: ['groups', undefined], queryFn: () => answer(api.GET('/api/v1/groups')) })
  return (groups.data?.groups ?? []).filter((g) => !g.built_in).map((g) => ({ key: g.key, label: g.label, hint: g.description }))
}

/** The people there are to pick from, by name. */
export function useUserChoices(): Choice[] {
  const users = useQuery({
    queryKey: ['users', 'to pick from'],
    queryFn: () => answer(api.GET('/api/v1/users', { params: { query: { status: 'active', limit: 500 } } })),
  })
  return (users.data?.users ?? []).map((u) => ({ key: u.user_name, label: u.display_name, hint: u.title }))
}
