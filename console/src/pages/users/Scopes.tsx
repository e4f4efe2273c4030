import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import { Covered } from '../applications/Covered'

export type ScopeInput = { application: string; pattern: string }

/** Within what a role is given: patterns of applications, or of the one that it is of. */
export function ScopesFields({ scopes, set, role }: { scopes: ScopeInput[]; set: (s: ScopeInput[]) => void; role?: string }) {
  const applications = useQuery(ask('/api/v1/applications'))
  const own = role?.includes('/') ? role.slice(0, role.indexOf('/')) : ''
  const apps = (applications.data?.applications ?? []).filter((a) => !own || a.key === own)
  const edit = (i: number, x: Partial<ScopeInput>) => set(scopes.map((s, j) => (i === j ? { ...s, ...x } : s)))
  return (
    <fieldset className="mt-3">
      <legend className="font-semibold">
        <Trans>Resource scope</Trans>
      </legend>
      {scopes.map((s, i) => (
        <div key={i} className="mt-1">
          <div className="flex gap-2">
            <select
              className="field w-56"
              aria-label={t`Application of scope ${i + 1}`}
              value={s.application}
              onChange={(e) => edit(i, { application: e.target.value })}
            >
              {apps.map((a) => (
                <option key={a.id} value={a.key}>
                  {a.label}
                </option>
              ))}
            </select>
            <input
              className="field font-mono"
              aria-label={t`Pattern of scope ${i + 1}`}
              placeholder={t`berths/north-*`}
              value={s.pattern}
              onChange={(e) => edit(i, { pattern: e.target.value })}
            />
            <button
              type="button"
              className="press"
              aria-label={t`Remove scope ${i + 1}`}
              onClick={() => set(scopes.filter((_, j) => j !== i))}
            >
              <Trans>Remove</Trans>
            </button>
          </div>
          {!s.pattern.includes('{') && <Covered application={s.application} pattern={s.pattern} />}
        </div>
      ))}
      <button
        type="button"
        className="press mt-1"
        disabled={apps.length === 0}
        onClick={() => set([...scopes, { application: own || apps[0]!.key, pattern: '' }])}
      >
        <Trans>Add a scope</Trans>
      </button>
    </fieldset>
  )
}
