import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { Empty, Loading, Trouble } from '../../shared/State'
import { list } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { NewRole } from '../roles/New'
import { ask } from '../../api/ask'

/** The roles of one application. */
export function RolesHere({ application: a }: { application: Schemas['Application'] }) {
  const { asOf, past } = useDay()
  const me = useMe()
  const roles = useQuery(ask('/api/v1/roles', { params: { query: { as_of: asOf } } }))
  if (roles.error) return <Trouble error={roles.error} retry={() => void roles.refetch()} />
  if (!roles.data) return <Loading what={t`its roles`} />
  const here = roles.data.roles.filter((r) => r.application?.id === a.id)
  return (
    <>
      {!past && me.may['roles.create'] && (
        <div className="mb-3 flex justify-end">
          <AddPanel label={t`Make a role`}>{(done) => <NewRole application={a} revision={roles.data.revision} done={done} />}</AddPanel>
        </div>
      )}
      {here.length === 0 ? (
        <Empty>
          <Trans>This application has no role yet. A role says what its holders may do, and where.</Trans>
        </Empty>
      ) : (
        <table className="register">
          <thead>
            <tr>
              <th>
                <Trans>Role</Trans>
              </th>
              <th>
                <Trans>Includes</Trans>
              </th>
              <th>
                <Trans>Risk</Trans>
              </th>
              <th>
                <Trans>Held for</Trans>
              </th>
              <th>
                <Trans>Assignments</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {here.map((r) => (
              <tr key={r.id}>
                <td>
                  <Link to="/roles/$role" params={{ role: r.key }} className="press">
                    {r.label}
                  </Link>
                  {r.retired && (
                    <span className="text-brass">
                      <Trans> · retired</Trans>
                    </span>
                  )}
                  {r.requestable && (
                    <span className="text-soft">
                      <Trans> · requestable</Trans>
                    </span>
                  )}
                </td>
                <td className="text-soft">{list(r.includes.map((i) => i.label))}</td>
                <td className={r.risk === 'high' ? 'text-brass' : 'text-soft'}>{r.risk}</td>
                <td className="text-soft">{r.max_days ? t`at most ${plural(r.max_days, { one: '# day', other: '# days' })}` : ''}</td>
                <td>{r.holder_count}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  )
}
