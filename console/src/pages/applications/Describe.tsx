import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
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
      aria-label={t`Edit details`}
      className="mt-2 grid max-w-180 sm:grid-cols-2 gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Describe`,
            what: a.label,
            detail: some.map((s) => s.replaceAll('_', ' ')).join(', '),
            operations: [{ op: 'update_application', application: a.key, ...changed }],
          },
          a.revision,
        )
      }}
    >
      <label>
        <Trans>Name</Trans>
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>What it is, in plain words</Trans>
        <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <div>
        <span>
          <Trans>Owner</Trans>
        </span>
        <PickBox
          label={t`Owner of the application`}
          choices={users}
          value={users.find((u) => u.key === x.owner) ?? null}
          onChange={(c) => setX({ ...x, owner: c?.key ?? '' })}
        />
      </div>
      <div>
        <span>
          <Trans>Trial group, with access while it is a draft</Trans>
        </span>
        <PickBox
          label={t`Trial group`}
          choices={groups}
          value={groups.find((g) => g.key === x.trial) ?? null}
          onChange={(c) => setX({ ...x, trial: c?.key ?? '' })}
        />
      </div>
      <label>
        <Trans>Roles given to users themselves are</Trans>
        <select className="field" value={x.direct} onChange={(e) => setX({ ...x, direct: e.target.value })}>
          <option value="">
            <Trans>welcome</Trans>
          </option>
          <option value="warned">
            <Trans>warned about</Trans>
          </option>
          <option value="refused">
            <Trans>refused: through groups alone</Trans>
          </option>
        </select>
      </label>
      <label>
        <Trans>Actions</Trans>
        <input className="field" value={x.actions} onChange={(e) => setX({ ...x, actions: e.target.value })} />
      </label>
      <div>
        <button type="submit" className="button" disabled={some.length === 0 || words.length === 0}>
          <Trans>Add to change sheet</Trans>
        </button>
      </div>
    </form>
  )
}
