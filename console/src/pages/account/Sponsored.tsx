import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import { shortDay } from '../../shared/words'
import { Extend, Opened } from '../users/Opened'

/** Whom one sponsors: people of other companies who report to one. */
export function Sponsored() {
  const people = useQuery(ask('/api/v1/me/sponsored'))
  if (!people.data || people.data.people.length === 0) return null
  const revision = people.data.revision
  return (
    <section aria-labelledby="sponsored-by-me" className="mt-8 max-w-180">
      <h2 id="sponsored-by-me">
        <Trans>People you sponsor</Trans>
      </h2>
      <table className="register">
        <tbody>
          {people.data.people.map((p) => {
            const user = { key: p.user.key!, label: p.user.label }
            return (
              <tr key={p.user.id}>
                <td>
                  {p.user.label} <span className="text-soft font-mono text-sm">{p.user.key}</span>
                  <div className="text-soft text-sm">{[p.employment_type, p.company].filter(Boolean).join(', ')}</div>
                  {p.closed && <Opened user={user} opening={p.opening} hours={p.max_hours} revision={revision} acts />}
                </td>
                <td>{p.end_date && t`until ${shortDay(p.end_date)}`}</td>
                <td className="text-right">{p.latest && <Extend user={user} end={p.end_date} latest={p.latest} revision={revision} />}</td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </section>
  )
}
