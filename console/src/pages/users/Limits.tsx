import { useQuery } from '@tanstack/react-query'
import { list } from '../../shared/words'
import { Covered } from '../applications/Covered'
import { ask } from '../../api/ask'

export type ScopeInput = { application: string; pattern: string }
export type LimitsInput = { first: string; last: string; scopes: ScopeInput[]; days: string[]; from: string; until: string }

export const noLimits: LimitsInput = { first: '', last: '', scopes: [], days: [], from: '06:00', until: '14:00' }

const week = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']
const names: Record<string, string> = {
  mon: 'Monday',
  tue: 'Tuesday',
  wed: 'Wednesday',
  thu: 'Thursday',
  fri: 'Friday',
  sat: 'Saturday',
  sun: 'Sunday',
}

/** A schedule as people say it: "weekdays 06:00 to 14:00, Lisbon". */
export function scheduleWords(days: string[], from: string, until: string, zone: string): string {
  const in_order = week.filter((d) => days.includes(d))
  const all = in_order.join()
  const which =
    all === 'mon,tue,wed,thu,fri'
      ? 'weekdays'
      : all === 'sat,sun'
        ? 'weekends'
        : in_order.length === 7
          ? 'every day'
          : list(in_order.map((d) => names[d]!))
  return `${which} ${from} to ${until}${until <= from ? ' the next day' : ''}, ${zone.slice(zone.lastIndexOf('/') + 1).replaceAll('_', ' ')}`
}

/** When, where and at which times of the week a role is given. */
export function LimitsFields({
  limits: t,
  set,
  role,
  zone,
}: {
  limits: LimitsInput
  set: (t: LimitsInput) => void
  role?: string
  zone: string
}) {
  const applications = useQuery(ask('/api/v1/applications'))
  const own = role?.includes('/') ? role.slice(0, role.indexOf('/')) : ''
  const apps = (applications.data?.applications ?? []).filter((a) => !own || a.key === own)
  const scope = (i: number, x: Partial<ScopeInput>) => set({ ...t, scopes: t.scopes.map((s, j) => (i === j ? { ...s, ...x } : s)) })
  return (
    <details className="mt-2">
      <summary className="text-harbour font-medium">Limits: valid from, resource scope, schedule</summary>
      <div className="bg-wash mt-2 max-w-180 rounded-md p-3">
        <label className="block max-w-56">
          First day
          <input type="date" className="field" value={t.first} onChange={(e) => set({ ...t, first: e.target.value })} />
        </label>
        <fieldset className="mt-3">
          <legend className="font-semibold">Resource scope</legend>
          {t.scopes.map((s, i) => (
            <div key={i} className="mt-1">
              <div className="flex gap-2">
                <select
                  className="field w-56"
                  aria-label={`Application of scope ${i + 1}`}
                  value={s.application}
                  onChange={(e) => scope(i, { application: e.target.value })}
                >
                  {apps.map((a) => (
                    <option key={a.id} value={a.key}>
                      {a.label}
                    </option>
                  ))}
                </select>
                <input
                  className="field font-mono"
                  aria-label={`Pattern of scope ${i + 1}`}
                  placeholder="berths/north-*"
                  value={s.pattern}
                  onChange={(e) => scope(i, { pattern: e.target.value })}
                />
                <button
                  type="button"
                  className="press"
                  aria-label={`Remove scope ${i + 1}`}
                  onClick={() => set({ ...t, scopes: t.scopes.filter((_, j) => j !== i) })}
                >
                  Remove
                </button>
              </div>
              <Covered application={s.application} pattern={s.pattern} />
            </div>
          ))}
          <button
            type="button"
            className="press mt-1"
            disabled={apps.length === 0}
            onClick={() => set({ ...t, scopes: [...t.scopes, { application: own || apps[0]!.key, pattern: '' }] })}
          >
            Add a scope
          </button>
        </fieldset>
        <fieldset className="mt-3">
          <legend className="font-semibold">Schedule</legend>
          <div className="flex flex-wrap gap-x-4">
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
                From
                <input type="time" className="field" value={t.from} onChange={(e) => set({ ...t, from: e.target.value })} />
              </label>
              <label>
                Until
                <input type="time" className="field" value={t.until} onChange={(e) => set({ ...t, until: e.target.value })} />
              </label>
              <p className="pb-1.5">That is: {scheduleWords(t.days, t.from, t.until, zone)}.</p>
            </div>
          )}
        </fieldset>
      </div>
    </details>
  )
}
