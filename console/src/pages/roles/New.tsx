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
      aria-label="Make a role"
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
            verb: 'Make',
            what: `the role ${x.label.trim()}`,
            detail: application ? `of ${application.label}` : 'of the whole organisation',
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
          Name of the role
          <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          What it is for
          <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <RiskField value={x.risk} set={(risk) => setX({ ...x, risk })} />
        <MaxDaysField value={x.max_days} set={(max_days) => setX({ ...x, max_days })} />
        <HeldWithinField value={x.heldWithin} set={(heldWithin) => setX({ ...x, heldWithin })} />
        {application && <MaxSharesField value={x.max_shares} set={(max_shares) => setX({ ...x, max_shares })} />}
      </div>
      <button type="submit" className="button mt-3" disabled={!key}>
        Add to change sheet
      </button>
    </form>
  )
}

export function RiskField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      Risk
      <select className="field" value={value} onChange={(e) => set(e.target.value)}>
        <option value="">not said</option>
        <option value="low">low</option>
        <option value="medium">medium</option>
        <option value="high">high</option>
      </select>
    </label>
  )
}

export function HeldWithinField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      Can be held only within the unit
      <input className="field" maxLength={400} placeholder="anywhere" value={value} onChange={(e) => set(e.target.value)} />
    </label>
  )
}

export function MaxDaysField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      Held for at most so many days
      <input
        type="number"
        min={1}
        max={3650}
        className="field"
        placeholder="without end"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  )
}

export function MaxSharesField({ value, set }: { value: string; set: (v: string) => void }) {
  return (
    <label>
      Can be shared within one resource with so many users
      <input
        type="number"
        min={0}
        max={1000}
        className="field"
        placeholder="not shareable"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  )
}
