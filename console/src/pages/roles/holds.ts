import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { covers, fenced } from '../../shared/pattern'

type Permission = Schemas['Permission']

/** How a role holds one cell. */
export type Holds = { how: 'own' | 'wider' | 'included' | 'fenced' | 'none'; by?: Permission }

/** What the permissions of a role in an application say of one action on one
 * resource, the nearest first. */
export function holds(role: string, here: Permission[], fences: Schemas['Fence'][], action: string, path: string): Holds {
  let best: Holds = { how: 'none' }
  for (const p of here) {
    if (!p.actions.includes('*') && !p.actions.includes(action)) continue
    if (!covers(p.pattern, path)) continue
    if (fenced(fences, p.pattern, action, path)) {
      if (best.how === 'none') best = { how: 'fenced', by: p }
      continue
    }
    if (p.role.id !== role) {
      if (best.how === 'none' || best.how === 'fenced') best = { how: 'included', by: p }
      continue
    }
    if (p.pattern === path && !p.own) return { how: 'own', by: p }
    best = { how: 'wider', by: p }
  }
  return best
}

/** The same in words. */
export function cellWords(x: Holds, shall: boolean | undefined): string {
  if (shall === true) return t`to be given`
  if (shall === false) return t`to be taken`
  switch (x.how) {
    case 'own':
      return t`its own`
    case 'wider':
      return t`by ${x.by!.pattern}${x.by!.own ? t`, only their own` : ''}`
    case 'included':
      return t`through ${x.by!.role.label}`
    case 'fenced':
      return t`fenced: ${x.by!.pattern} is written for something wider`
  }
  return t`not permitted`
}
