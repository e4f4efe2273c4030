import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { shortDay } from '../../shared/words'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'
import { ValueBox } from './ValueBox'

type User = Schemas['UserDetail']

/** The positions that somebody has for a time, and their absences. */
export function Times({ user: u, acts }: { user: User; acts: boolean }) {
  const sheet = useSheet()
  const positions = u.positions ?? []
  const absences = u.absences ?? []
  if (!acts && positions.length + absences.length === 0) return null
  const end = (what: string, operation: Operation) => (
    <button
      type="button"
      className="press text-sm"
      aria-label={t`End ${what}`}
      onClick={() => sheet.add({ verb: t`End`, what: t`${what} of ${u.display_name}`, operations: [operation] }, u.revision)}
    >
      <Trans>End</Trans>
    </button>
  )
  return (
    <>
      <h2 className="mt-7">
        <Trans>Positions and absences</Trans>
      </h2>
      <p className="text-soft max-w-160">
        <Trans>
          A position gives what its place gives, for its time, beside their own place. During an absence they can do nothing, and come back
          by date.
        </Trans>
      </p>
      {positions.length + absences.length > 0 && (
        <table className="register max-w-160">
          <tbody>
            {positions.map((p) => {
              const what = t`the position in ${p.unit || t`no unit`}`
              return (
                <tr key={`p${p.position}`}>
                  <td>
                    {[p.title, p.unit].filter(Boolean).join(', ')}
                    {p.former && (
                      <div className="text-soft text-sm">
                        <Trans>Moved from there: some default rules still give for some days</Trans>
                      </div>
                    )}
                  </td>
                  <td className="text-brass">
                    <Trans>
                      {shortDay(p.start_date)} to {shortDay(p.end_date)}
                    </Trans>
                  </td>
                  {acts && <td className="text-right">{end(what, { op: 'end_position', user: u.user_name, position: p.position })}</td>}
                </tr>
              )
            })}
            {absences.map((a) => (
              <tr key={`a${a.absence}`}>
                <td>
                  <Trans>Absent</Trans>
                </td>
                <td className="text-brass">
                  {shortDay(a.start_date)} {a.end_date ? t`to ${shortDay(a.end_date)}` : t`until it is ended`}
                </td>
                {acts && (
                  <td className="text-right">{end(t`the absence`, { op: 'end_absence', user: u.user_name, absence: a.absence })}</td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {acts && (
        <div className="mt-2 flex flex-wrap gap-3">
          <AddPanel label={t`Add a position`}>{(done) => <AddPosition user={u} done={done} />}</AddPanel>
          <AddPanel label={t`Add an absence`}>{(done) => <AddAbsence user={u} done={done} />}</AddPanel>
        </div>
      )}
    </>
  )
}

export const noDays = { first: '', last: '' }

/** A first and a last day. */
export function Days({
  days,
  set,
  last,
}: {
  days: { first: string; last: string }
  set: (d: { first: string; last: string }) => void
  last: string
}) {
  return (
    <>
      <label>
        <Trans>First day</Trans>
        <input type="date" className="field" required value={days.first} onChange={(e) => set({ ...days, first: e.target.value })} />
      </label>
      <label>
        <Trans>
          Last day <span className="text-soft text-sm">{last}</span>
        </Trans>
        <input type="date" className="field" value={days.last} onChange={(e) => set({ ...days, last: e.target.value })} />
      </label>
    </>
  )
}

function AddPosition({ user: u, done }: { user: User; done: () => void }) {
  const sheet = useSheet()
  const [x, setX] = useTyped(`AddPosition ${u.user_name}`, { unit: '', title: '' })
  const [days, setDays] = useTyped(`AddPosition days ${u.user_name}`, noDays)
  return (
    <form
      aria-label={t`Add a position`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_position',
          user: u.user_name,
          unit: x.unit,
          start_date: days.first,
          end_date: days.last,
          ...(x.title && { title: x.title }),
        }
        sheet.add(
          {
            verb: t`Give`,
            what: t`${u.display_name} a position in ${x.unit}`,
            detail: t`${shortDay(days.first)} to ${shortDay(days.last)}`,
            operations: [operation],
          },
          u.revision,
        )
        setX({ unit: '', title: '' })
        setDays(noDays)
        done()
      }}
    >
      <label>
        <Trans>Unit</Trans>
        <ValueBox attribute="unit" name="position-unit" value={x.unit} set={(unit) => setX({ ...x, unit })} />
      </label>
      <label>
        <Trans>Title there</Trans>
        <ValueBox attribute="title" name="position-title" value={x.title} set={(title) => setX({ ...x, title })} />
      </label>
      <Days days={days} set={setDays} last={t`a position is for a time`} />
      <button type="submit" className="button justify-self-start" disabled={!x.unit || !days.first || !days.last}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

function AddAbsence({ user: u, done }: { user: User; done: () => void }) {
  const sheet = useSheet()
  const [days, setDays] = useTyped(`AddAbsence ${u.user_name}`, noDays)
  return (
    <form
      aria-label={t`Add an absence`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_absence',
          user: u.user_name,
          start_date: days.first,
          ...(days.last && { end_date: days.last }),
        }
        sheet.add(
          {
            verb: t`Note`,
            what: t`that ${u.display_name} is absent`,
            detail: `${shortDay(days.first)} ${days.last ? t`to ${shortDay(days.last)}` : t`until it is ended`}`,
            operations: [operation],
          },
          u.revision,
        )
        setDays(noDays)
        done()
      }}
    >
      <p className="sm:col-span-2">
        <Trans>Nothing is kept of why somebody is absent.</Trans>
      </p>
      <Days days={days} set={setDays} last={t`none: until it is ended`} />
      <button type="submit" className="button justify-self-start" disabled={!days.first}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
