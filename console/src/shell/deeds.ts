import { t } from '@lingui/core/macro'
/** Things that are done to somebody or something, as one types them: a verb and a name. */
export type Deed = { verb: string; words: (name: string) => string; of: 'user' | 'role' | 'application'; tab: string; may: string }

const deeds: Deed[] = [
  { verb: t`grant`, words: (n) => t`Grant a role to ${n}`, of: 'user', tab: 'given', may: 'roles.assign' },
  { verb: t`revoke`, words: (n) => t`Revoke a role of ${n}`, of: 'user', tab: 'given', may: 'roles.assign' },
  { verb: t`suspend`, words: (n) => t`Suspend ${n}`, of: 'user', tab: 'attributes', may: 'users.update' },
  { verb: t`move`, words: (n) => t`Move ${n} to another unit`, of: 'user', tab: 'attributes', may: 'users.update' },
  { verb: t`depart`, words: (n) => t`Mark ${n} as departed`, of: 'user', tab: 'attributes', may: 'users.update' },
  { verb: t`check`, words: (n) => t`Check what ${n} may do`, of: 'user', tab: 'check', may: 'users.read' },
  { verb: t`compare`, words: (n) => t`Compare ${n} with a colleague`, of: 'user', tab: 'compare', may: 'users.read' },
  { verb: t`retire`, words: (n) => t`Retire ${n}`, of: 'role', tab: 'retire', may: 'roles.update' },
]

/** Actions that are of nobody in particular. A panel is opened by the words on its press. */
export const plainDeeds = [
  { to: '/users/add', label: t`Add a user`, may: 'users.create' },
  { to: '/import', label: t`Import a file`, may: 'users.create' },
  { to: '/catalogue', label: t`Request access`, may: '' },
  { to: '/groups', panel: true, label: t`Make a group`, may: 'groups.create' },
  { to: '/roles', panel: true, label: t`Make a role of the whole organisation`, may: 'roles.create' },
  { to: '/applications', panel: true, label: t`Register an application`, may: 'applications.create' },
  { to: '/delegations', panel: true, label: t`Add a delegation`, may: 'roles.assign' },
  { to: '/reviews', panel: true, label: t`Open a round`, may: 'reviews.create' },
  { to: '/defaults', panel: true, label: t`Write a default rule`, may: 'settings.update' },
  { to: '/sod-rules', panel: true, label: t`Add an SoD rule`, may: 'settings.update' },
  { to: '/expectations', panel: true, label: t`Add an expectation`, may: 'settings.update' },
  { to: '/units', panel: true, label: t`Add a unit`, may: 'settings.update' },
  { to: '/freezes', panel: true, label: t`Set a freeze`, may: 'settings.update' },
  { to: '/attributes', panel: true, label: t`Declare an attribute`, may: 'settings.update' },
] as const

/** What a text asks to do, and to whom: "grant a role to ines" is to grant, to "ines". */
export function deedOf(text: string, may: Record<string, boolean>): { deed: Deed; rest: string } | undefined {
  const m = /^\s*(\w+)(?:\s+(?:an?\s+)?(?:role\s+)?(?:to\s+|of\s+)?)(.+)$/i.exec(text)
  const deed = m && deeds.find((d) => d.verb === m[1]!.toLowerCase() && may[d.may])
  return deed ? { deed, rest: m[2]!.trim() } : undefined
}
