import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { answer, api, type Schemas } from '../../api/client'
import { PathText } from '../../shared/PathText'
import { RevisionRows } from '../../shared/Revisions'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Terms } from '../../shared/Terms'
import { count, list, shortDay, until } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'

const route = getRouteApi('/shell/roles/$role')

/** One role: what it permits, what it includes, who holds it. */
export function OneRole() {
  const { role: key } = route.useParams()
  const { asOf, now } = useDay()
  const me = useMe()
  const role = useQuery({
    queryKey: ['role', key, asOf],
    queryFn: () => answer(api.GET('/api/v1/roles/{role}', { params: { path: { role: key }, query: { as_of: asOf } } })),
  })
  if (role.error) return <Trouble page error={role.error} retry={() => void role.refetch()} />
  if (!role.data) return <Loading what={key} />
  const r = role.data
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{r.label}</h1>
        <span className="text-soft font-mono">{r.key}</span>
      </div>
      <p className="mt-1.5">
        {r.description} <span className="text-soft">{r.application ? `A role of ${r.application.label}.` : 'A role of the whole organisation.'}</span>
        {r.retired && <strong className="text-brass"> Retired: it gives nothing.</strong>}
      </p>
      {r.includes.length > 0 && (
        <p className="mt-1">
          Includes <RoleLinks refs={r.includes} />.
        </p>
      )}
      {r.included_by.length > 0 && (
        <p className="mt-1">
          Included by <RoleLinks refs={r.included_by} />.
        </p>
      )}
      <h2 className="mt-6">Permits</h2>
      {(r.permissions ?? []).length === 0 ? (
        <Empty>Nothing: whoever holds it can do no more than before.</Empty>
      ) : (
        <table className="register">
          <thead>
            <tr>
              <th>Application</th>
              <th>May</th>
              <th>On</th>
              <th>Carried by</th>
            </tr>
          </thead>
          <tbody>
            {r.permissions!.map((p) => (
              <tr key={p.id}>
                <td>{p.application.label}</td>
                <td>{p.actions.includes('*') ? 'everything' : list(p.actions)}</td>
                <td>
                  <PathText path={p.pattern} />
                  {p.own && <span className="text-soft text-sm"> only their own</span>}
                </td>
                <td className="text-soft">{p.role.id === r.id ? 'itself' : p.role.label}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <h2 className="mt-6">Held by {count((r.holders ?? []).length, 'assignment')}</h2>
      {(r.holders ?? []).length === 0 ? <Empty>Nobody.</Empty> : <Holders role={r} now={now} />}
      {me.may['ledger.read'] && (
        <>
          <h2 className="mt-6">History</h2>
          <RevisionRows query={{ role: r.id }} />
        </>
      )}
    </>
  )
}

function RoleLinks({ refs }: { refs: Schemas['Ref'][] }) {
  return refs.map((x, i) => (
    <span key={i}>
      {i > 0 && ', '}
      {x.key ? (
        <Link to="/roles/$role" params={{ role: x.key }} className="press">
          {x.label}
        </Link>
      ) : (
        x.label
      )}
    </span>
  ))
}

function Holders({ role, now }: { role: Schemas['Role']; now: Date }) {
  const me = useMe()
  const sheet = useSheet()
  const { past } = useDay()
  return (
    <table className="register">
      <tbody>
        {role.holders!.map((a) => (
          <tr key={a.id}>
            <td className="w-64">
              {a.assignee_kind === 'user' ? (
                <Link to="/users/$user" params={{ user: a.assignee.key! }} className="press">
                  {a.assignee.label}
                </Link>
              ) : (
                <>
                  <span className="text-soft">group </span>
                  <Link to="/groups/$group" params={{ group: a.assignee.key! }} className="press">
                    {a.assignee.label}
                  </Link>
                </>
              )}
              {a.through && <div className="text-soft text-sm">as part of {a.through.map((t) => t.label).join(', ')}</div>}
            </td>
            <td className={a.until ? 'text-brass w-40' : 'text-soft w-40'}>
              {a.from && new Date(a.from) > now ? `from ${shortDay(a.from)}` : until(a.until, now)}
              <Terms assignment={a} />
            </td>
            <td className="text-soft text-sm">
              {a.given?.reason && (
                <>
                  {a.given.by?.label ?? 'The host'}, {shortDay(a.given.at)}: {a.given.reason}
                </>
              )}
            </td>
            {!past && me.may['roles.assign'] && (
              <td className="text-right">
                <button
                  type="button"
                  className="press"
                  aria-label={`Revoke ${a.role.label} of ${a.assignee.label}`}
                  onClick={() =>
                    sheet.add(
                      { verb: 'Revoke', what: `${a.role.label} of ${a.assignee.label}`, detail: 'now', operations: [{ op: 'revoke', assignment: a.id }] },
                      role.revision,
                    )
                  }
                >
                  Revoke
                </button>
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  )
}
