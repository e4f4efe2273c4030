import { useNavigate } from '@tanstack/react-router'
import { useState } from 'react'
import type { Operation } from '../../api/client'
import { type Choice } from '../../shared/PickBox'
import { Picks } from '../../shared/Picks'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useRoleChoices } from './choices'

const fields = [
  { name: 'display_name', label: 'Name' },
  { name: 'user_name', label: 'User name', hint: 'what they sign in with; never reused' },
  { name: 'email', label: 'E-mail' },
  { name: 'unit', label: 'Unit', hint: 'such as marine/pilotage' },
  { name: 'title', label: 'Title' },
  { name: 'manager', label: 'Manager', hint: 'user name' },
  { name: 'start_date', label: 'First day', type: 'date' },
  { name: 'end_date', label: 'Last day', type: 'date' },
] as { name: string; label: string; hint?: string; type?: string }[]

/** Adds a user, with roles and groups in the same change. */
export function AddUser() {
  const sheet = useSheet()
  const me = useMe()
  const navigate = useNavigate()
  const roleChoices = useRoleChoices()
  const groupChoices = useGroupChoices()
  const [values, setValues] = useState<Record<string, string>>({})
  const [roles, setRoles] = useState<Choice[]>([])
  const [groups, setGroups] = useState<Choice[]>([])
  const name = values.user_name?.trim() ?? ''
  const add = () => {
    const given = Object.fromEntries(Object.entries(values).filter(([, v]) => v.trim() !== ''))
    const operations = [
      { op: 'add_user', ...given, user_name: name } as Operation,
      ...groups.map((g): Operation => ({ op: 'add_member', group: g.key, user: name })),
      ...roles.map((r): Operation => ({ op: 'grant', role: r.key, user: name })),
    ]
    const detail = [...groups, ...roles].map((c) => c.label).join(', ')
    sheet.add({ verb: 'Add', what: values.display_name?.trim() || name, detail, operations }, me.revision)
    void navigate({ to: '/users' })
  }
  return (
    <div className="max-w-160">
      <h1>Add a user</h1>
      <p className="text-soft mt-1">It goes on the change sheet first, where you see what they will be able to do.</p>
      <form
        className="mt-4 grid grid-cols-2 gap-x-5 gap-y-3"
        onSubmit={(e) => {
          e.preventDefault()
          add()
        }}
      >
        {fields.map((f) => (
          <label key={f.name}>
            {f.label} {f.hint && <span className="text-soft text-sm">{f.hint}</span>}
            <input
              className="field"
              name={f.name}
              type={f.type ?? 'text'}
              autoComplete="off"
              value={values[f.name] ?? ''}
              onChange={(e) => setValues({ ...values, [f.name]: e.target.value })}
            />
          </label>
        ))}
        <Picks title="Groups" label="Group to put into" choices={groupChoices} picked={groups} pick={setGroups} />
        <Picks title="Roles" label="Role to grant" choices={roleChoices} picked={roles} pick={setRoles} />
        <div className="col-span-2">
          <button type="submit" className="button" disabled={!name}>
            Put on the sheet
          </button>
        </div>
      </form>
    </div>
  )
}
