import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Things } from '../../shared/Things'
import { UserBox } from '../../shared/UserBox'
import { count, lastDay } from '../../shared/words'
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
          label: `the group ${g.membership.group.label}`,
          until: g.membership.until,
          operation: g.operation,
          may: me.may['groups.update'],
        })),
        ...c.roles.map((r) => ({
          id: r.assignment.id,
          label: `the role ${r.assignment.role.label}`,
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
          label="Colleague to compare with"
          value={other}
          onChange={(key) => {
            setOther(key)
            setLeft([])
          }}
        />
      </div>
      {!other && <Empty>Choose a colleague to compare.</Empty>}
      {comparison.error && <Trouble error={comparison.error} />}
      {other && comparison.isPending && <Loading what="both" />}
      {c && (
        <div aria-live="polite">
          <p className="mt-3">
            Both can do {count(c.both, 'thing')}. {c.with.label} can do {c.lacks.length} that {c.user.label} cannot, and the other way round{' '}
            {c.has.length}.{c.outside_too && <span className="text-brass"> There may be differences that you may not see.</span>}
          </p>
          <h2 className="mt-4">
            Given to {c.with.label} and not to {c.user.label}
          </h2>
          {parts.length === 0 && <Empty>No differences in what is given.</Empty>}
          {parts.length > 0 && (
            <form
              aria-label="Give the same"
              onSubmit={(e) => {
                e.preventDefault()
                sheet.add(
                  {
                    verb: 'Give',
                    what: `${u.display_name} what ${c.with.label} has`,
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
                        {p.until && <span className="text-brass"> until {lastDay(p.until)}</span>}
                      </span>
                    </label>
                  </li>
                ))}
              </ul>
              {!past && u.status !== 'departed' && (
                <button type="submit" className="button-quiet mt-3" disabled={chosen.length === 0}>
                  Add {count(chosen.length, 'item')} to change sheet
                </button>
              )}
            </form>
          )}
          <div className="mt-5 grid sm:grid-cols-2 gap-6">
            <Things title={`Only ${c.with.label} can`} lines={c.lacks} ink="text-kelp" />
            <Things title={`Only ${c.user.label} can`} lines={c.has} ink="text-brick" />
          </div>
        </div>
      )}
    </>
  )
}
