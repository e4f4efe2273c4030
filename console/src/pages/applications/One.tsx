import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { Loading, Trouble } from '../../shared/State'
import { Tabs } from '../../shared/Tabs'
import { list } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { Coverage } from './Coverage'
import { Describe } from './Describe'
import { Fences } from './Fences'
import { GoingLive } from './GoingLive'
import { OverTime } from './OverTime'
import { Resources } from './Resources'
import { RolesHere } from './RolesHere'
import { RetireApplication } from '../../shared/Retirement'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/applications/$application')

/** One application: what it protects, who reaches it, and its life. */
export function OneApplication() {
  const { application: key } = route.useParams()
  const { tab } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
  const application = useQuery({
    ...ask('/api/v1/applications/{application}', { params: { path: { application: key }, query: { as_of: asOf } } }),
  })
  if (application.error) return <Trouble page error={application.error} retry={() => void application.refetch()} />
  if (!application.data) return <Loading what={key} />
  const a = application.data
  const builtIn = a.key === 'able-roster'
  const writes = !past && !builtIn && !!me.may['applications.update']
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{a.label}</h1>
        <span className="text-soft font-mono">{a.key}</span>
      </div>
      <p className="mt-1.5">
        {a.description}{' '}
        <span className={a.state === 'live' ? 'text-soft' : 'text-brass font-semibold'}>
          <Trans>It is {a.state === 'draft' ? t`a draft` : a.state === 'rehearsal' ? t`in rehearsal` : a.state}.</Trans>
        </span>
      </p>
      <p className="text-soft mt-1">
        <Trans>Declares {list(a.actions.map((x) => x.key))}.</Trans>{' '}
        {a.owner ? (
          <>
            <Trans>{a.owner.label} owns it. </Trans>
          </>
        ) : (
          !builtIn && (
            <span className="text-brass">
              <Trans>No owner. </Trans>
            </span>
          )
        )}
        <Link to="/grid" search={{ application: a.key }} className="press">
          <Trans>See who may do what</Trans>
        </Link>
      </p>
      <Tabs
        chosen={tab}
        choose={(tab) => void navigate({ search: (s) => ({ ...s, tab: tab === 'resources' ? undefined : tab }) })}
        tabs={[
          { key: 'resources', label: t`Resources`, count: (a.resources ?? []).length, body: <Resources application={a} writes={writes} /> },
          { key: 'roles', label: t`Roles`, body: <RolesHere application={a} /> },
          { key: 'coverage', label: t`Coverage`, body: <Coverage application={a} writes={writes} /> },
          { key: 'fences', label: t`Fences`, count: (a.fences ?? []).length, body: <Fences application={a} writes={writes} /> },
          ...(past || builtIn ? [] : [{ key: 'live', label: t`State`, body: <GoingLive application={a} writes={writes} /> }]),
          ...(writes ? [{ key: 'details', label: t`Details`, body: <Describe application={a} /> }] : []),
          ...(writes && !builtIn && a.state !== 'retired'
            ? [{ key: 'retire', label: t`Retire`, body: <RetireApplication application={a.key} /> }]
            : []),
          ...(past ? [] : [{ key: 'time', label: t`Over time`, body: <OverTime application={a.key} /> }]),
        ]}
      />
    </>
  )
}
