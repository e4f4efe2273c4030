import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { moment, shortDay } from '../../shared/words'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'

/** Whose access is closed until somebody opens it: what is so, and what may be done. */
export function Opened({
  user: u,
  opening,
  hours,
  revision,
  acts,
}: {
  user: { key: string; label: string }
  opening?: Schemas['Opening']
  hours?: number
  revision: number
  acts: boolean
}) {
  const sheet = useSheet()
  return (
    <p className="mt-1 flex flex-wrap items-baseline gap-x-4">
      {opening?.open ? (
        <span className="text-brass">
          <Trans>
            Open until {moment(opening.until!)} for {opening.reference}
          </Trans>
        </span>
      ) : (
        <span>
          <Trans>Access is closed.</Trans>
        </span>
      )}
      {acts && opening?.open && (
        <button
          type="button"
          className="press text-sm"
          aria-label={t`Close the access of ${u.label}`}
          onClick={() =>
            sheet.add({ verb: t`Close`, what: t`the access of ${u.label}`, operations: [{ op: 'close_access', user: u.key }] }, revision)
          }
        >
          <Trans>Close</Trans>
        </button>
      )}
      {acts && !opening?.open && (
        <AddPanel press label={t`Open the access of ${u.label}`} name={`open-${u.key}`}>
          {(done) => <Open user={u} hours={hours} revision={revision} done={done} />}
        </AddPanel>
      )}
    </p>
  )
}

function Open({
  user: u,
  hours,
  revision,
  done,
}: {
  user: { key: string; label: string }
  hours?: number
  revision: number
  done: () => void
}) {
  const sheet = useSheet()
  const [x, setX] = useTyped(`Open ${u.key}`, { reference: '', hours: String(Math.min(hours ?? 4, 4)) })
  return (
    <form
      aria-label={t`Open the access of ${u.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'open_access',
          user: u.key,
          reference: x.reference.trim(),
          until: new Date(Date.now() + Number(x.hours) * 3_600_000).toISOString(),
        }
        sheet.add(
          {
            verb: t`Open`,
            what: t`the access of ${u.label}`,
            detail: t`for ${x.hours} hours, ${x.reference.trim()}`,
            operations: [operation],
          },
          revision,
        )
        setX({ reference: '', hours: x.hours })
        done()
      }}
    >
      <label>
        <Trans>
          Reference <span className="text-soft text-sm">where it was asked for</span>
        </Trans>
        <input className="field" value={x.reference} onChange={(e) => setX({ ...x, reference: e.target.value })} />
      </label>
      <label>
        <Trans>Hours, from now on </Trans>
        {hours ? (
          <span className="text-soft text-sm">
            <Trans>at most {hours}</Trans>
          </span>
        ) : null}
        <input
          type="number"
          min={1}
          max={hours}
          className="field"
          value={x.hours}
          onChange={(e) => setX({ ...x, hours: e.target.value })}
        />
      </label>
      <button type="submit" className="button justify-self-start" disabled={!x.reference.trim() || !Number(x.hours)}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Extends the last day of somebody of another company. */
export function Extend({
  user: u,
  end,
  latest,
  revision,
}: {
  user: { key: string; label: string }
  end?: string
  latest?: string
  revision: number
}) {
  return (
    <AddPanel press label={t`Extend ${u.label}`} name={`extend-${u.key}`}>
      {(done) => <ExtendForm user={u} end={end} latest={latest} revision={revision} done={done} />}
    </AddPanel>
  )
}

function ExtendForm({
  user: u,
  end,
  latest,
  revision,
  done,
}: {
  user: { key: string; label: string }
  end?: string
  latest?: string
  revision: number
  done: () => void
}) {
  const sheet = useSheet()
  const [last, setLast] = useTyped(`Extend ${u.key}`, end ?? '')
  return (
    <form
      aria-label={t`Extend ${u.label}`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Extend`,
            what: u.label,
            detail: t`last day ${shortDay(last)}`,
            operations: [{ op: 'extend_contract', user: u.key, end_date: last }],
          },
          revision,
        )
        done()
      }}
    >
      <label className="block max-w-60">
        <Trans>Last day </Trans>
        {latest && (
          <span className="text-soft text-sm">
            <Trans>at most {shortDay(latest)}</Trans>
          </span>
        )}
        <input type="date" className="field" min={end} max={latest} value={last} onChange={(e) => setLast(e.target.value)} />
      </label>
      <button type="submit" className="button mt-3" disabled={!last || last === end}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
