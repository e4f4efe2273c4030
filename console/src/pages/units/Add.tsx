import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { PickBox, type Choice } from '../../shared/PickBox'
import { UserBox } from '../../shared/UserBox'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'
import { unitChoice } from '../users/choices'
import { changed, ValueFields } from './Values'

const empty = { label: '', key: '', head: '', values: {} as Record<string, string> }

/** Describes a new unit: its name, what it is part of, and who leads it. */
export function AddUnit({ units, revision, done }: { units: Schemas['Unit'][]; revision: number; done: () => void }) {
  const sheet = useSheet()
  const [x, setX] = useTyped('AddUnit x', empty)
  const [above, setAbove] = useTyped<Choice | null>('AddUnit above', null)
  const key = x.key || keyOf(x.label)
  const path = above ? `${above.key}/${key}` : key
  const taken = units.some((u) => u.id && u.path === path)
  return (
    <form
      aria-label={t`Add a unit`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_unit',
          path,
          label: x.label.trim(),
          ...(x.head && { head: x.head }),
          custom: changed({}, x.values),
        }
        sheet.add({ verb: t`Add`, what: t`the unit ${x.label.trim()}`, detail: path, operations: [operation] }, revision)
        setX(empty)
        done()
      }}
    >
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-2">
        <label>
          <Trans>Name of the unit</Trans>
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>
            Key <span className="text-soft text-sm">as paths, filters and files write it</span>
          </Trans>
          <input className="field font-mono" value={key} onChange={(e) => setX({ ...x, key: e.target.value })} />
        </label>
        <div>
          <Trans>
            Part of <span className="text-soft text-sm">without one: at the top</span>
          </Trans>
          <PickBox
            label={t`Unit that it is part of`}
            choices={units.filter((u) => u.id).map(unitChoice)}
            value={above}
            onChange={setAbove}
          />
        </div>
        <div>
          <Trans>
            Who leads it <span className="text-soft text-sm">without one: whoever leads the unit above</span>
            <UserBox label={t`Head of the unit`} value={x.head} onChange={(head) => setX({ ...x, head })} />
          </Trans>
        </div>
        <ValueFields values={x.values} set={(values) => setX({ ...x, values })} />
      </div>
      <p className="text-soft mt-2 text-sm">
        {taken ? (
          <span className="text-brick">
            <Trans>{path} is a unit already.</Trans>
          </span>
        ) : (
          key && (
            <>
              <Trans>
                Its path is <span className="font-mono">{path}</span>.
              </Trans>
            </>
          )
        )}
      </p>
      <button type="submit" className="button mt-3" disabled={!key || taken}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
