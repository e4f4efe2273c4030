import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { useSheet } from '../../shell/sheet'
import { chosen } from '../../shared/chosen'
import { useTyped } from '../../shell/drafts'

/** Makes a role, of an application or of the organisation. */
export function NewRole({ application, revision, done }: { application?: Schemas['Application']; revision: number; done: () => void }) {
  const sheet = useSheet()
  const empty = { label: '', description: '', risk: '', max_days: '', heldWithin: '', max_shares: '' }
  const [x, setX] = useTyped('NewRole x', empty)
  const key = keyOf(x.label)
  return (
    <form
      aria-label={t`Make a role`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_role',
          key,
          application: application?.key,
          label: x.label.trim(),
          description: x.description.trim() || undefined,
          risk: chosen(['low', 'medium', 'high'], x.risk),
          max_days: x.max_days ? Number(x.max_days) : undefined,
          held_within: x.heldWithin.trim() || undefined,
          max_shares: x.max_shares ? Number(x.max_shares) : undefined,
        }
        sheet.add(
          {
            verb: t`Make`,
            what: t`the role ${x.label.trim()}`,
            detail: application ? t`of ${application.label}` : t`of the whole organisation`,
            operations: [operation],
          },
          revision,
        )
        setX(empty)
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          <Trans>Name of the role</Trans>
          <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>What it is for</Trans>
          <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <RiskField value={x.risk} set={(risk) => setX({ ...x, risk })} />
        <MaxDaysField value={x.max_days} set={(max_days) => setX({ ...x, max_days })} />
        <HeldWithinField value={x.heldWithin} set={(heldWithin) => setX({ ...x, heldWithin })} />
        {application && <MaxSharesField value={x.max_shares} set={(max_shares) => setX({ ...x, max_shares })} />}
      </div>
      <button type="submit" className="button mt-3" disabled={!key}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

export function RiskField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      <Trans>Risk</Trans>
      <select className="field" value={value} onChange={(e) => set(e.target.value)}>
        <option value="">
          <Trans>not said</Trans>
        </option>
        <option value="low">
          <Trans>low</Trans>
        </option>
        <option value="medium">
          <Trans>medium</Trans>
        </option>
        <option value="high">
          <Trans>high</Trans>
        </option>
      </select>
    </label>
  )
}

export function HeldWithinField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      <Trans>Can be held only within the unit</Trans>
      <input className="field" maxLength={400} placeholder={t`anywhere`} value={value} onChange={(e) => set(e.target.value)} />
    </label>
  )
}

export function MaxDaysField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      <Trans>Held for at most so many days</Trans>
      <input
        type="number"
        min={1}
        max={3650}
        className="field"
        placeholder={t`without end`}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  )
}

export function MaxSharesField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      <Trans>Can be shared within one resource with so many users</Trans>
      <input
        type="number"
        min={0}
        max={1000}
        className="field"
        placeholder={t`not shareable`}
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  )
}
