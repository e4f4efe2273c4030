import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { PickBox, type Choice } from '../../shared/PickBox'
import { Picks } from '../../shared/Picks'
import { windowOf } from '../../shared/window'
import { shortDay } from '../../shared/words'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useRoleChoices } from './choices'
import { noLimits, scheduleWords, LimitsFields, type LimitsInput } from './Limits'
import { useTyped } from '../../shell/drafts'

/** Who a role is given to: a user, a group, or several users at once. */
export type Holder = { user?: string; group?: string; users?: string[]; label: string; revision: number }

function limitsOf(limits: LimitsInput, zone: string) {
  return {
    ...windowOf(limits, zone),
    scopes: limits.scopes.length > 0 ? limits.scopes.map((s) => ({ application: s.application, pattern: s.pattern.trim() })) : undefined,
    schedule: limits.days.length > 0 ? { days: limits.days, from: limits.from, until: limits.until, time_zone: zone } : undefined,
  }
}

function limitsWords(limits: LimitsInput, zone: string) {
  return [
    limits.first && t`from ${shortDay(limits.first)}`,
    limits.last ? t`last day ${shortDay(limits.last)}` : t`no end`,
    ...limits.scopes.map((s) => t`within ${s.pattern} of ${s.application}`),
    limits.days.length > 0 && scheduleWords(limits.days, limits.from, limits.until, zone),
  ]
    .filter(Boolean)
    .join(', ')
}

/** Puts a grant on the change sheet: one, or one of each of several users. */
export function GrantRole({ to, open, done }: { to: Holder; open?: boolean; done?: () => void }) {
  const choices = useRoleChoices()
  const sheet = useSheet()
  const zone = useMe().time_zone
  const [role, setRole] = useTyped<Choice | null>('GrantRole role', null)
  const [limits, setLimits] = useTyped('GrantRole limits', noLimits)
  const blank = limits.scopes.some((s) => s.pattern.trim() === '')
  return (
    <form
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (!role || blank) return
        sheet.add(
          {
            verb: t`Grant`,
            what: t`${role.label} to ${to.label}`,
            detail: `${role.key}, ${limitsWords(limits, zone)}`,
            operations: (to.users ?? [to.user]).map((user) => ({
              op: 'grant',
              role: role.key,
              user,
              group: to.group,
              ...limitsOf(limits, zone),
            })),
          },
          to.revision,
        )
        setRole(null)
        setLimits(noLimits)
        done?.()
      }}
    >
      <div className="flex flex-wrap items-end gap-3">
        <div className="w-72">
          <PickBox label={t`Role to grant`} choices={choices} value={role} onChange={setRole} />
        </div>
        <label className="text-soft flex items-center gap-2 text-sm">
          <Trans>last day</Trans>
          <input
            type="date"
            className="field text-ink w-auto"
            value={limits.last}
            onChange={(e) => setLimits({ ...limits, last: e.target.value })}
          />
        </label>
        <button type="submit" className="button-quiet" disabled={!role || blank}>
          <Trans>Add to change sheet</Trans>
        </button>
      </div>
      <LimitsFields limits={limits} set={setLimits} role={role?.key} zone={zone} open={open} />
    </form>
  )
}

/** The whole set of roles somebody has directly, at once: only the differences
 * are put on the sheet. */
export function SetRoles({ user }: { user: Schemas['UserDetail'] }) {
  const choices = useRoleChoices()
  const sheet = useSheet()
  const [open, setOpen] = useState(false)
  const mine = user.assignments.filter((a) => !a.default)
  const now = [...new Map(mine.map((a) => [a.role.key ?? a.id, { key: a.role.key ?? a.id, label: a.role.label }])).values()]
  const [picked, setPicked] = useState<Choice[]>(now)
  if (!open)
    return (
      <button
        type="button"
        className="press mt-3"
        onClick={() => {
          setPicked(now)
          setOpen(true)
        }}
      >
        <Trans>Set all roles at once</Trans>
      </button>
    )
  const gone = mine.filter((a) => !picked.some((p) => p.key === (a.role.key ?? a.id)))
  const fresh = picked.filter((p) => !now.some((n) => n.key === p.key))
  return (
    <form
      aria-label={t`Set all roles at once`}
      className="bg-wash mt-3 max-w-120 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Set`,
            what: t`the roles of ${user.display_name}`,
            detail: [
              fresh.length > 0 && t`${plural(fresh.length, { one: '# role', other: '# roles' })} more`,
              gone.length > 0 && t`${plural(gone.length, { one: '# role', other: '# roles' })} fewer`,
            ]
              .filter(Boolean)
              .join(', '),
            operations: [
              ...gone.map((a): Operation => ({ op: 'revoke', assignment: a.id })),
              ...fresh.map((r): Operation => ({ op: 'grant', role: r.key, user: user.user_name })),
            ],
          },
          user.revision,
        )
        setOpen(false)
      }}
    >
      <Picks
        title={t`Roles ${user.display_name} shall have directly`}
        label={t`Role to add`}
        choices={choices}
        picked={picked}
        pick={setPicked}
      />
      <p className="text-soft mt-2 text-sm" aria-live="polite">
        {fresh.length + gone.length === 0
          ? t`No difference.`
          : [
              fresh.length > 0 && t`To grant: ${fresh.map((r) => r.label).join(', ')}`,
              gone.length > 0 && t`To revoke: ${gone.map((a) => a.role.label).join(', ')}`,
            ]
              .filter(Boolean)
              .join('. ') + t`. Other roles stay.`}
      </p>
      <div className="mt-2 flex gap-3">
        <button type="submit" className="button-quiet" disabled={fresh.length + gone.length === 0}>
          <Trans>Add to change sheet</Trans>
        </button>
        <button type="button" className="press" onClick={() => setOpen(false)}>
          <Trans>Cancel</Trans>
        </button>
      </div>
    </form>
  )
}

/** Puts a membership on the change sheet. */
export function JoinGroup({ user }: { user: Schemas['UserDetail'] }) {
  const choices = useGroupChoices()
  const sheet = useSheet()
  const [group, setGroup] = useTyped<Choice | null>('JoinGroup group', null)
  return (
    <form
      className="mt-3 flex items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (!group) return
        sheet.add(
          {
            verb: t`Add`,
            what: t`${user.display_name} to ${group.label}`,
            operations: [{ op: 'add_member', group: group.key, user: user.user_name }],
          },
          user.revision,
        )
        setGroup(null)
      }}
    >
      <div className="w-72">
        <PickBox label={t`Group to add to`} choices={choices} value={group} onChange={setGroup} />
      </div>
      <button type="submit" className="button-quiet" disabled={!group}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
