import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Things } from '../../shared/Things'
import { UserBox } from '../../shared/UserBox'
import { lastDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { ask } from '../../api/ask'

/** What a colleague has that this user has not, and the giving of chosen parts. */
export function Compare({ user: u }: { user: Schemas['UserDetail'] }) {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const [other, setOther] = useState('')
  const [left, setLeft] = useState<string[]>([])
  const comparison = useQuery({
    enabled: other !== '',
    ...ask('/api/v1/users/{user}/comparison', { params: { path: { user: u.user_name }, query: { with: other, as_of: asOf } } }),
  })
  const c = comparison.data
  const parts = c
    ? [
        ...c.groups.map((g) => ({
          id: g.membership.id,
          label: t`the group ${g.membership.group.label}`,
          until: g.membership.until,
          operation: g.operation,
          may: me.may['groups.update'],
        })),
        ...c.roles.map((r) => ({
          id: r.assignment.id,
          label: t`the role ${r.assignment.role.label}`,
          until: r.assignment.until,
          operation: r.operation,
          may: me.may['roles.assign'],
        })),
      ]
    : []
  const chosen = parts.filter((p) => !left.includes(p.id) && p.may)
  return (
    <>
      <div className="mt-2 max-w-80">
        <UserBox
          label={t`Colleague to compare with`}
          value={other}
          onChange={(key) => {
            setOther(key)
            setLeft([])
          }}
        />
      </div>
      {!other && (
        <Empty>
          <Trans>Choose a colleague to compare.</Trans>
        </Empty>
      )}
      {comparison.error && <Trouble error={comparison.error} />}
      {other && comparison.isPending && <Loading what={t`both`} />}
      {c && (
        <div aria-live="polite">
          <p className="mt-3">
            <Trans>
              Both can do {plural(c.both, { one: '# thing', other: '# things' })}. {c.with.label} can do {c.lacks.length} that{' '}
              {c.user.label} cannot, and the other way round {c.has.length}.
            </Trans>
            {c.outside_too && (
              <span className="text-brass">
                <Trans> There may be differences that you may not see.</Trans>
              </span>
            )}
          </p>
          <h2 className="mt-4">
            <Trans>
              Given to {c.with.label} and not to {c.user.label}
            </Trans>
          </h2>
          {parts.length === 0 && (
            <Empty>
              <Trans>No differences in what is given.</Trans>
            </Empty>
          )}
          {parts.length > 0 && (
            <form
              aria-label={t`Give the same`}
              onSubmit={(e) => {
                e.preventDefault()
                sheet.add(
                  {
                    verb: t`Give`,
                    what: t`${u.display_name} what ${c.with.label} has`,
                    detail: chosen.map((p) => p.label).join(', '),
                    operations: chosen.map((p) => p.operation),
                  },
                  c.revision,
                )
                setLeft(parts.map((p) => p.id))
              }}
            >
              <ul>
                {parts.map((p) => (
                  <li key={p.id} className="border-rule border-b py-1">
                    <label className="flex gap-2">
                      {!past && (
                        <input
                          type="checkbox"
                          disabled={!p.may}
                          checked={!left.includes(p.id) && Boolean(p.may)}
                          onChange={(e) => setLeft(e.target.checked ? left.filter((x) => x !== p.id) : [...left, p.id])}
                        />
                      )}
                      <span>
                        {p.label}
                        {p.until && (
                          <span className="text-brass">
                            <Trans> until {lastDay(p.until)}</Trans>
                          </span>
                        )}
                      </span>
                    </label>
                  </li>
                ))}
              </ul>
              {!past && u.status !== 'departed' && (
                <button type="submit" className="button-quiet mt-3" disabled={chosen.length === 0}>
                  <Trans>Add {plural(chosen.length, { one: '# item', other: '# items' })} to change sheet</Trans>
                </button>
              )}
            </form>
          )}
          <div className="mt-5 grid sm:grid-cols-2 gap-6">
            <Things title={t`Only ${c.with.label} can`} lines={c.lacks} ink="text-kelp" />
            <Things title={t`Only ${c.user.label} can`} lines={c.has} ink="text-brick" />
          </div>
        </div>
      )}
    </>
  )
}
