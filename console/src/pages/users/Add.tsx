import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useNavigate } from '@tanstack/react-router'
import type { Operation } from '../../api/client'
import { type Choice } from '../../shared/PickBox'
import { Picks } from '../../shared/Picks'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useAttributes } from './attributes'
import { Fields, operationOf, type Values } from './Fields'
import { useGroupChoices, useRoleChoices } from './choices'
import { useTyped } from '../../shell/drafts'

/** Adds a user, with roles and groups in the same change. */
export function AddUser() {
  const sheet = useSheet()
  const me = useMe()
  const navigate = useNavigate()
  const roleChoices = useRoleChoices()
  const groupChoices = useGroupChoices()
  const attributes = useAttributes()
  const [values, setValues] = useTyped<Values>('AddUser values', {})
  const [roles, setRoles] = useTyped<Choice[]>('AddUser roles', [])
  const [groups, setGroups] = useTyped<Choice[]>('AddUser groups', [])
  const [invited, setInvited] = useTyped('AddUser invited', false)
  const name = values.user_name?.trim() ?? ''
  const add = () => {
    const operations = [
      { op: 'add_user', ...operationOf(values, {}), user_name: name, ...(invited && { status: 'invited' }) } as Operation,
      ...groups.map((g): Operation => ({ op: 'add_member', group: g.key, user: name })),
      ...roles.map((r): Operation => ({ op: 'grant', role: r.key, user: name })),
    ]
    const detail = [...groups, ...roles].map((c) => c.label).join(', ')
    sheet.add({ verb: invited ? t`Invite` : t`Add`, what: values.display_name?.trim() || name, detail, operations }, me.revision)
    setValues({})
    setRoles([])
    setInvited(false)
    setGroups([])
    void navigate({ to: '/users' })
  }
  return (
    <div className="max-w-160">
      <h1>
        <Trans>Add a user</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>The user is added to the change sheet first, where you see what they will be able to do.</Trans>
      </p>
      <form
        className="mt-4 grid sm:grid-cols-2 gap-x-5 gap-y-3"
        onSubmit={(e) => {
          e.preventDefault()
          add()
        }}
      >
        <Fields fresh values={values} set={setValues} attributes={attributes} />
        <Picks title={t`Groups`} label={t`Group to add to`} choices={groupChoices} picked={groups} pick={setGroups} />
        <Picks title={t`Roles`} label={t`Role to grant`} choices={roleChoices} picked={roles} pick={setRoles} />
        <label className="sm:col-span-2 flex items-baseline gap-2">
          <input type="checkbox" checked={invited} onChange={(e) => setInvited(e.target.checked)} />
          <span>
            <Trans>Invite by mail: they choose a password by a link, and are active from then on</Trans>
            {invited && !values.email?.trim() && (
              <span className="text-brass block text-sm">
                <Trans>Without an e-mail address you hand them a sign-in link yourself.</Trans>
              </span>
            )}
          </span>
        </label>
        <div className="sm:col-span-2">
          <button type="submit" className="button" disabled={!name}>
            <Trans>Add to change sheet</Trans>
          </button>
        </div>
      </form>
    </div>
  )
}
