import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { PickBox, type Choice } from '../../shared/PickBox'
import { endOfDay, shortDay } from '../../shared/words'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useRoleChoices } from './choices'

/** Puts a grant on the change sheet. */
export function GrantRole({ user }: { user: Schemas['UserDetail'] }) {
  const choices = useRoleChoices()
  const sheet = useSheet()
  const zone = useMe().time_zone
  const [role, setRole] = useState<Choice | null>(null)
  const [last, setLast] = useState('')
  const add = () => {
    if (!role) return
    // "until" is exclusive: the first instant after the last day.
    const until = last ? new Date(new Date(endOfDay(last, zone)).getTime() + 1).toISOString() : undefined
    sheet.add(
      {
        verb: 'Grant',
        what: `${role.label} to ${user.display_name}`,
        detail: `${role.key}${last ? `, last day ${shortDay(last)}` : ', no end'}`,
        operations: [{ op: 'grant', role: role.key, user: user.user_name, until }],
      },
      user.revision,
    )
    setRole(null)
    setLast('')
  }
  return (
    <form
      className="mt-3 flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        add()
      }}
    >
      <div className="w-72">
        <PickBox label="Role to grant" choices={choices} value={role} onChange={setRole} />
      </div>
      <label className="text-soft flex items-center gap-2 text-sm">
        last day
        <input type="date" className="field text-ink w-auto" value={last} onChange={(e) => setLast(e.target.value)} />
      </label>
      <button type="submit" className="button-quiet" disabled={!role}>
        Put on the sheet
      </button>
    </form>
  )
}

/** Puts a membership on the change sheet. */
export function JoinGroup({ user }: { user: Schemas['UserDetail'] }) {
  const choices = useGroupChoices()
  const sheet = useSheet()
  const [group, setGroup] = useState<Choice | null>(null)
  return (
    <form
      className="mt-3 flex items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        if (!group) return
        sheet.add(
          { verb: 'Put', what: `${user.display_name} into ${group.label}`, operations: [{ op: 'add_member', group: group.key, user: user.user_name }] },
          user.revision,
        )
        setGroup(null)
      }}
    >
      <div className="w-72">
        <PickBox label="Group to put into" choices={choices} value={group} onChange={setGroup} />
      </div>
      <button type="submit" className="button-quiet" disabled={!group}>
        Put on the sheet
      </button>
    </form>
  )
}
