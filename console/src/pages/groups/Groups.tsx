import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { answer, api } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Terms } from '../../shared/Terms'
import { count, unitWords, until } from '../../shared/words'
import { useDay } from '../../shell/day'

export function GroupList() {
  const { asOf } = useDay()
  const groups = useQuery({
    queryKey: ['groups', asOf],
    queryFn: () => answer(api.GET('/api/v1/groups', { params: { query: { as_of: asOf } } })),
  })
  if (groups.error) return <Trouble page error={groups.error} retry={() => void groups.refetch()} />
  if (!groups.data) return <Loading what="groups" />
  return (
    <>
      <h1>Groups</h1>
      <p className="text-soft mt-1">{count(groups.data.groups.length, 'group')}. What a group holds, its members hold.</p>
      <table className="register mt-3">
        <thead>
          <tr>
            <th>Group</th>
            <th>Key</th>
            <th>Unit</th>
            <th className="text-right!">Listed members</th>
          </tr>
        </thead>
        <tbody>
          {groups.data.groups.map((g) => (
            <tr key={g.id}>
              <td>
                <Link to="/groups/$group" params={{ group: g.key }} className="press">
                  {g.label}
                </Link>
              </td>
              <td className="font-mono text-sm">{g.key}</td>
              <td>{g.built_in ? <span className="text-soft">built in</span> : unitWords(g.unit)}</td>
              <td className="text-right">{g.built_in ? '' : g.member_count}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}

const route = getRouteApi('/shell/groups/$group')

export function OneGroup() {
  const { group: key } = route.useParams()
  const { asOf, now } = useDay()
  const group = useQuery({
    queryKey: ['group', key, asOf],
    queryFn: () => answer(api.GET('/api/v1/groups/{group}', { params: { path: { group: key }, query: { as_of: asOf } } })),
  })
  if (group.error) return <Trouble page error={group.error} retry={() => void group.refetch()} />
  if (!group.data) return <Loading what={key} />
  const g = group.data
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{g.label}</h1>
        <span className="text-soft font-mono">{g.key}</span>
      </div>
      <p className="text-soft mt-1.5">
        {g.description} {g.unit && `Belongs to ${unitWords(g.unit)}.`}
      </p>
      {g.filter && (
        <p className="mt-1">
          Chooses whoever has <span className="font-mono text-sm">{g.filter}</span>: {count(g.chosen ?? 0, 'user')} now.{' '}
          <Link to="/users" search={{ group: g.key }} className="press">
            See them
          </Link>
        </p>
      )}
      <h2 className="mt-6">Gives its members</h2>
      {(g.assignments ?? []).length === 0 ? (
        <Empty>No role. Membership alone gives nothing.</Empty>
      ) : (
        <ul>
          {g.assignments!.map((a) => (
            <li key={a.id} className="border-rule flex gap-4 border-b px-2 py-2">
              {a.role.key ? (
                <Link to="/roles/$role" params={{ role: a.role.key }} className="press">
                  {a.role.label}
                </Link>
              ) : (
                a.role.label
              )}
              <span className={a.until ? 'text-brass' : 'text-soft'}>
                {until(a.until, now)}
                <Terms assignment={a} />
              </span>
            </li>
          ))}
        </ul>
      )}
      <h2 className="mt-6">Listed members</h2>
      {(g.members ?? []).length === 0 ? (
        <Empty>{g.built_in ? 'None are listed: it follows from who is here.' : 'Nobody is in it yet. Put people in from their own page.'}</Empty>
      ) : (
        <ul className="grid grid-cols-2 gap-x-6">
          {g.members!.map((m) => (
            <li key={m.id} className="border-rule border-b px-2 py-1.5">
              {m.member_kind === 'user' ? (
                <Link to="/users/$user" params={{ user: m.member.key! }} className="press">
                  {m.member.label}
                </Link>
              ) : (
                <>
                  <span className="text-soft">group </span>
                  <Link to="/groups/$group" params={{ group: m.member.key! }} className="press">
                    {m.member.label}
                  </Link>
                </>
              )}
              {m.until && <span className="text-brass"> until {until(m.until, now)}</span>}
            </li>
          ))}
        </ul>
      )}
    </>
  )
}
