import type { Schemas } from '../../api/client'
import { PickBox } from '../../shared/PickBox'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useUserChoices } from '../users/choices'
import { useEdited } from '../../shell/drafts'

/** How an application is described, its owner, and how its roles are
 * meant to be given. */
export function Describe({ application: a }: { application: Schemas['Application'] }) {
  const sheet = useSheet()
  const users = useUserChoices()
  const groups = useGroupChoices()
  const now = {
    label: a.label,
    description: a.description ?? '',
    owner: a.owner?.key ?? '',
    trial: a.trial_group?.key ?? '',
    direct: a.direct_assignments ?? '',
    actions: a.actions.map((x) => x.key).join(', '),
  }
  const [x, setX] = useEdited('Describe x', now)
  const words = x.actions.split(/[\s,]+/).filter(Boolean)
  const changed: Record<string, unknown> = {}
  if (x.label !== now.label) changed.label = x.label.trim()
  if (x.description !== now.description) changed.description = x.description.trim()
  if (x.owner !== now.owner) changed.owner = x.owner
  if (x.trial !== now.trial) changed.trial_group = x.trial
  if (x.direct !== now.direct) changed.direct_assignments = x.direct
  if (x.actions !== now.actions)
    changed.actions = words.map((k) => a.actions.find((y) => y.key === k) ?? { key: k, label: k.charAt(0).toUpperCase() + k.slice(1) })
  const some = Object.keys(changed)
  return (
    <form
      aria-label="Edit details"
      className="mt-2 grid max-w-180 sm:grid-cols-2 gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: 'Describe',
            what: a.label,
            detail: some.map((s) => s.replaceAll('_', ' ')).join(', '),
            operations: [{ op: 'update_application', application: a.key, ...changed }],
          },
          a.revision,
        )
      }}
    >
      <label>
        Name
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        What it is, in plain words
        <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <div>
        <span>Owner</span>
        <PickBox
          label="Owner of the application"
          choices={users}
          value={users.find((u) => u.key === x.owner) ?? null}
          onChange={(c) => setX({ ...x, owner: c?.key ?? '' })}
        />
      </div>
      <div>
        <span>Trial group, with access while it is a draft</span>
        <PickBox
          label="Trial group"
          choices={groups}
          value={groups.find((g) => g.key === x.trial) ?? null}
          onChange={(c) => setX({ ...x, trial: c?.key ?? '' })}
        />
      </div>
      <label>
        Roles given to users themselves are
        <select className="field" value={x.direct} onChange={(e) => setX({ ...x, direct: e.target.value })}>
          <option value="">welcome</option>
          <option value="warned">warned about</option>
          <option value="refused">refused: through groups alone</option>
        </select>
      </label>
      <label>
        Actions
        <input className="field" value={x.actions} onChange={(e) => setX({ ...x, actions: e.target.value })} />
      </label>
      <div>
        <button type="submit" className="button" disabled={some.length === 0 || words.length === 0}>
          Add to change sheet
        </button>
      </div>
    </form>
  )
}
