import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { list } from '../../shared/words'
import { ScopesFields, type ScopeInput } from './Scopes'

export type LimitsInput = { first: string; last: string; scopes: ScopeInput[]; days: string[]; from: string; until: string }

export const noLimits: LimitsInput = { first: '', last: '', scopes: [], days: [], from: '06:00', until: '14:00' }

const week = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']
const names: Record<string, string> = {
  mon: t`Monday`,
  tue: t`Tuesday`,
  wed: t`Wednesday`,
  thu: t`Thursday`,
  fri: t`Friday`,
  sat: t`Saturday`,
  sun: t`Sunday`,
}

/** A schedule as people say it: "weekdays 06:00 to 14:00, Lisbon". */
export function scheduleWords(days: string[], from: string, until: string, zone: string): string {
  const in_order = week.filter((d) => days.includes(d))
  const all = in_order.join()
  const which =
    all === 'mon,tue,wed,thu,fri'
      ? t`weekdays`
      : all === 'sat,sun'
        ? t`weekends`
        : in_order.length === 7
          ? t`every day`
          : list(in_order.map((d) => names[d]!))
  return t`${which} ${from} to ${until}${until <= from ? t` the next day` : ''}, ${zone.slice(zone.lastIndexOf('/') + 1).replaceAll('_', ' ')}`
}

/** When, where and at which times of the week a role is given. */
export function LimitsFields({
  limits: t,
  set,
  role,
  zone,
  open,
}: {
  limits: LimitsInput
  set: (limits: LimitsInput) => void
  role?: string
  zone: string
  /** They are shown from the start. */
  open?: boolean
}) {
  return (
    <details className="mt-2" open={open}>
      <summary className="text-harbour font-medium">
        <Trans>Limits: valid from, resource scope, schedule</Trans>
      </summary>
      <div className="bg-wash mt-2 max-w-180 rounded-md p-3">
        <label className="block max-w-56">
          <Trans>First day</Trans>
          <input type="date" className="field" value={t.first} onChange={(e) => set({ ...t, first: e.target.value })} />
        </label>
        <ScopesFields scopes={t.scopes} set={(scopes) => set({ ...t, scopes })} role={role} />
        <fieldset className="mt-3">
          <legend className="font-semibold">
            <Trans>Schedule</Trans>
          </legend>
          <div className="flex flex-wrap gap-x-4 gap-y-2">
            {week.map((d) => (
              <label key={d} className="flex gap-1.5">
                <input
                  type="checkbox"
                  checked={t.days.includes(d)}
                  onChange={(e) => set({ ...t, days: e.target.checked ? [...t.days, d] : t.days.filter((x) => x !== d) })}
                />
                {names[d]}
              </label>
            ))}
          </div>
          {t.days.length > 0 && (
            <div className="mt-2 flex items-end gap-3">
              <label>
                <Trans>From</Trans>
                <input type="time" className="field" value={t.from} onChange={(e) => set({ ...t, from: e.target.value })} />
              </label>
              <label>
                <Trans>Until</Trans>
                <input type="time" className="field" value={t.until} onChange={(e) => set({ ...t, until: e.target.value })} />
              </label>
              <p className="pb-1.5">
                <Trans>That is: {scheduleWords(t.days, t.from, t.until, zone)}.</Trans>
              </p>
            </div>
          )}
        </fieldset>
      </div>
    </details>
  )
}
