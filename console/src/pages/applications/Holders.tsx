import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { Mark, markWords, type MarkName } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { until } from '../../shared/words'
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
      <h1>
        <Trans>Who can</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>
          In{' '}
          <Link to="/applications/$application" params={{ application: key }} className="press">
            {a.label}
          </Link>
          .
        </Trans>
      </p>
      <div className="mt-3 flex gap-3">
        <select
          className="field w-auto"
          aria-label={t`Action`}
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
          aria-label={t`Resource`}
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
      {holders.isPending && !holders.error && <Loading what={t`who can`} />}
      {holders.data && (
        <p role="status" className="mt-4">
          <Trans>
            <strong>{plural(holders.data.total, { one: '# holder', other: '# holders' })}</strong> can {action} <PathText path={path} />
          </Trans>
          {holders.data.outside && (
            <span className="text-soft">
              <Trans>, and perhaps others outside your part</Trans>
            </span>
          )}
          .
        </p>
      )}
      {holders.data && holders.data.total === 0 && (
        <Empty>
          <Trans>Nobody. Look for a role that allows it on the page Roles.</Trans>
        </Empty>
      )}
      {holders.data && holders.data.holders.length > 0 && <Rows holders={holders.data.holders} now={now} />}
      {holders.data?.next && (
        <p className="text-soft mt-2">
          <Trans>The first 500.</Trans>
        </p>
      )}
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
              {h.own && t`, only their own`}
              {h.scheduled && t`, at some times`}
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
