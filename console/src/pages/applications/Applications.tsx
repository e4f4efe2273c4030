import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { answer, api } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { count, list } from '../../shared/words'
import { OverTime } from './OverTime'
import { Rehearsal } from './Rehearsal'
import { useDay } from '../../shell/day'

export function ApplicationList() {
  const { asOf } = useDay()
  const applications = useQuery({
    queryKey: ['applications', asOf],
    queryFn: () => answer(api.GET('/api/v1/applications', { params: { query: { as_of: asOf } } })),
  })
  if (applications.error) return <Trouble page error={applications.error} retry={() => void applications.refetch()} />
  if (!applications.data) return <Loading what="applications" />
  return (
    <>
      <h1>Applications</h1>
      <p className="text-soft mt-1">{count(applications.data.applications.length, 'application')} ask here who may do what.</p>
      <table className="register mt-3">
        <thead>
          <tr>
            <th>Application</th>
            <th>Key</th>
            <th>State</th>
            <th>What it is</th>
          </tr>
        </thead>
        <tbody>
          {applications.data.applications.map((a) => (
            <tr key={a.id}>
              <td>
                <Link to="/applications/$application" params={{ application: a.key }} className="press">
                  {a.label}
                </Link>
              </td>
              <td className="font-mono text-sm">{a.key}</td>
              <td>{a.state}</td>
              <td className="text-soft">{a.description}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  )
}

const route = getRouteApi('/shell/applications/$application')

export function OneApplication() {
  const { application: key } = route.useParams()
  const { asOf } = useDay()
  const application = useQuery({
    queryKey: ['application', key, asOf],
    queryFn: () => answer(api.GET('/api/v1/applications/{application}', { params: { path: { application: key }, query: { as_of: asOf } } })),
  })
  if (application.error) return <Trouble page error={application.error} retry={() => void application.refetch()} />
  if (!application.data) return <Loading what={key} />
  const a = application.data
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{a.label}</h1>
        <span className="text-soft font-mono">{a.key}</span>
      </div>
      <p className="mt-1.5">
        {a.description} <span className="text-soft">It is {a.state}.</span>
      </p>
      <p className="mt-1">
        Declares {list(a.actions.map((x) => x.key))}.{' '}
        <Link to="/grid" search={{ application: a.key }} className="press">
          See who may do what
        </Link>
      </p>
      {a.trial_group && (
        <p className="mt-1">
          While it is a draft, members of {a.trial_group.label} are judged as if it were live.
        </p>
      )}
      {(a.fences ?? []).length > 0 && (
        <>
          <h2 className="mt-6">Fences</h2>
          <ul>
            {a.fences!.map((f) => (
              <li key={f.id} className="border-rule border-b px-2 py-2">
                <Mark name="fenced" /> <PathText path={f.pattern} /> for {f.actions.includes('*') ? 'all actions' : list(f.actions)}
                {f.why && <span className="text-soft">: {f.why}</span>}
              </li>
            ))}
          </ul>
        </>
      )}
      {a.state === 'rehearsal' && !asOf && <Rehearsal application={a.key} />}
      {!asOf && <OverTime application={a.key} />}
      <h2 className="mt-6">Resources</h2>
      {(a.resources ?? []).length === 0 ? (
        <Empty>None are registered.</Empty>
      ) : (
        <table className="register">
          <thead>
            <tr>
              <th>Path</th>
              <th>Called</th>
              <th>Kind</th>
              <th>Served at</th>
            </tr>
          </thead>
          <tbody>
            {a.resources!.map((r) => (
              <tr key={r.id}>
                <td>
                  <Link to="/applications/$application/holders" params={{ application: a.key }} search={{ path: r.path }} className="press" title="Who can do what here">
                    <PathText path={r.path} />
                  </Link>
                </td>
                <td>
                  {r.label}
                  {r.retired && <span className="text-brass"> · retired</span>}
                  {r.open && <span className="text-soft"> · open: what lies below need not be registered</span>}
                </td>
                <td className="text-soft">{r.kind}</td>
                <td className="font-mono text-sm">{(r.addresses ?? []).join(' ')}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  )
}
