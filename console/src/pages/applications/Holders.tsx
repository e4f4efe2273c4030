import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Mark, markWords, type MarkName } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { count, until } from '../../shared/words'
import { useDay } from '../../shell/day'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/applications/$application/holders')

/** Who can do one thing in an application, and through what. */
export function HoldersPage() {
  const { application: key } = route.useParams()
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, now } = useDay()
  const application = useQuery({
    ...ask('/api/v1/applications/{application}', { params: { path: { application: key }, query: { as_of: asOf } } }),
  })
  const action = search.action ?? application.data?.actions[0]?.key ?? ''
  const path = search.path ?? '/'
  const holders = useQuery({
    enabled: action !== '',
    ...ask('/api/v1/holders', { params: { query: { application: key, action, path, as_of: asOf, limit: 500 } } }),
  })
  if (application.error) return <Trouble page error={application.error} retry={() => void application.refetch()} />
  if (!application.data) return <Loading what={key} />
  const a = application.data
  return (
    <>
      <h1>Who can</h1>
      <p className="text-soft mt-1">
        In{' '}
        <Link to="/applications/$application" params={{ application: key }} className="press">
          {a.label}
        </Link>
        .
      </p>
      <div className="mt-3 flex gap-3">
        <select
          className="field w-auto"
          aria-label="Action"
          value={action}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, action: e.target.value }) })}
        >
          {a.actions.map((x) => (
            <option key={x.key} value={x.key}>
              {x.label || x.key}
            </option>
          ))}
        </select>
        <select
          className="field w-auto"
          aria-label="Resource"
          value={path}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, path: e.target.value }) })}
        >
          {(a.resources ?? [])
            .filter((r) => !r.retired)
            .map((r) => (
              <option key={r.id} value={r.path}>
                {r.label} ({r.path})
              </option>
            ))}
        </select>
      </div>
      {holders.error && <Trouble error={holders.error} retry={() => void holders.refetch()} />}
      {holders.isPending && !holders.error && <Loading what="who can" />}
      {holders.data && (
        <p role="status" className="mt-4">
          <strong>{count(holders.data.total, 'holder')}</strong> can {action} <PathText path={path} />
          {holders.data.outside && <span className="text-soft">, and perhaps others outside your part</span>}.
        </p>
      )}
      {holders.data && holders.data.total === 0 && <Empty>Nobody. Look for a role that allows it on the page Roles.</Empty>}
      {holders.data && holders.data.holders.length > 0 && <Rows holders={holders.data.holders} now={now} />}
      {holders.data?.next && <p className="text-soft mt-2">The first 500.</p>}
    </>
  )
}

function Rows({ holders, now }: { holders: Schemas['Holder'][]; now: Date }) {
  const [open, setOpen] = useState<number>()
  return (
    <ul className="border-rule mt-3 border-t">
      {holders.map((h, i) => (
        <li key={h.user.id ?? 'nobody'} className={`border-rule border-b ${open === i ? 'bg-open' : ''}`}>
          <div className="grid grid-cols-[1.2fr_1.4fr_1fr] items-baseline gap-3 px-2 py-1.5">
            {h.user.key ? (
              <Link to="/users/$user" params={{ user: h.user.key }} className="press">
                {h.user.label}
              </Link>
            ) : (
              <span className="text-soft">{h.user.label}</span>
            )}
            <button
              type="button"
              className="press text-left"
              aria-expanded={open === i}
              onClick={() => setOpen(open === i ? undefined : i)}
            >
              <Mark name={h.through as MarkName} /> {markWords[h.through as MarkName]}
              {h.own && ', only their own'}
              {h.scheduled && ', at some times'}
            </button>
            <span className={h.until ? 'text-brass' : 'text-soft'}>{until(h.until, now)}</span>
          </div>
          {open === i && (
            <div className="px-2 pb-2">
              <Path path={h.path} />
            </div>
          )}
        </li>
      ))}
    </ul>
  )
}
