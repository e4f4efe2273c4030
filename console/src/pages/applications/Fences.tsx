import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { Empty } from '../../shared/State'
import { list } from '../../shared/words'
import { useSheet } from '../../shell/sheet'
import { Covered } from './Covered'
import { useTyped } from '../../shell/drafts'

const words = (actions: string[]) => (actions.includes('*') ? t`all actions` : list(actions))

/** What keeps parts of an application from permissions written for more. */
export function Fences({ application: a, writes }: { application: Schemas['Application']; writes: boolean }) {
  const sheet = useSheet()
  const fences = a.fences ?? []
  return (
    <>
      {writes && (
        <div className="mb-3 flex justify-end">
          <AddPanel label={t`Add a fence`}>{(done) => <AddFence application={a} done={done} />}</AddPanel>
        </div>
      )}
      {fences.length === 0 && (
        <Empty>
          <Trans>
            No fence yet. A fence keeps a part, such as a fuel jetty, out of roles that were written for something wider, such as all
            berths.
          </Trans>
        </Empty>
      )}
      <ul>
        {fences.map((f) => (
          <li key={f.id} className="border-rule flex items-baseline justify-between gap-4 border-b px-2 py-2">
            <span>
              <Trans>
                <Mark name="fenced" /> <PathText path={f.pattern} /> for {words(f.actions)}
              </Trans>
              {f.why && <span className="text-soft">: {f.why}</span>}
            </span>
            {writes && (
              <button
                type="button"
                className="press text-sm"
                aria-label={t`Remove the fence on ${f.pattern}`}
                onClick={() =>
                  sheet.add(
                    {
                      verb: t`Remove`,
                      what: t`the fence on ${f.pattern}`,
                      detail: a.label,
                      operations: [{ op: 'remove_fence', fence: f.id }],
                    },
                    a.revision,
                  )
                }
              >
                <Trans>Remove</Trans>
              </button>
            )}
          </li>
        ))}
      </ul>
    </>
  )
}

function AddFence({ application: a, done }: { application: Schemas['Application']; done: () => void }) {
  const sheet = useSheet()
  const empty = { pattern: '', why: '', actions: [] as string[] }
  const [x, setX] = useTyped('Fences x', empty)
  return (
    <form
      aria-label={t`Add a fence`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_fence',
          application: a.key,
          pattern: x.pattern.trim(),
          actions: x.actions,
          why: x.why.trim(),
        }
        sheet.add(
          { verb: t`Fence`, what: x.pattern.trim(), detail: t`${a.label}, for ${words(x.actions)}`, operations: [operation] },
          a.revision,
        )
        setX(empty)
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          <Trans>Pattern</Trans>
          <input
            className="field font-mono"
            placeholder={t`berths/fuel-jetty`}
            value={x.pattern}
            onChange={(e) => setX({ ...x, pattern: e.target.value })}
          />
        </label>
        <label>
          <Trans>Reason shown to users</Trans>
          <input className="field" maxLength={500} value={x.why} onChange={(e) => setX({ ...x, why: e.target.value })} />
        </label>
      </div>
      <Covered application={a.key} pattern={x.pattern} />
      <fieldset className="mt-2 flex flex-wrap gap-x-5">
        <legend>
          <Trans>For</Trans>
        </legend>
        {['*', ...a.actions.map((y) => y.key)].map((k) => (
          <label key={k} className="flex gap-2">
            <input
              type="checkbox"
              checked={x.actions.includes(k)}
              onChange={(e) => setX({ ...x, actions: e.target.checked ? [...x.actions, k] : x.actions.filter((y) => y !== k) })}
            />
            {k === '*' ? t`all actions` : k}
          </label>
        ))}
      </fieldset>
      <button type="submit" className="button mt-3" disabled={x.pattern.trim() === '' || x.actions.length === 0}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
