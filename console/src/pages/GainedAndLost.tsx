import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { DifferenceLines } from '../shared/DifferenceRow'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { list, dayOf, endOfDay, fullDay, monthBefore } from '../shared/words'
import { useMe } from '../shell/session'
import { ask } from '../api/ask'

const route = getRouteApi('/shell/gained-and-lost')

type Difference = Schemas['Difference']

const columns: ListColumn<Difference>[] = [
  {
    key: 'user',
    label: t`User`,
    value: (d) => d.user.label,
    show: (d) => (
      <Link to="/users/$user" params={{ user: d.user.key! }} search={{ tab: 'history' }} className="press">
        {d.user.label}
      </Link>
    ),
  },
  {
    key: 'gained',
    label: t`Gained`,
    value: (d) => d.gained?.length ?? 0,
    show: (d) => <span className="text-kelp">{d.gained?.length ? `+${d.gained.length}` : ''}</span>,
    right: true,
  },
  {
    key: 'lost',
    label: t`Lost`,
    value: (d) => d.lost?.length ?? 0,
    show: (d) => <span className="text-brick">{d.lost?.length ? `−${d.lost.length}` : ''}</span>,
    right: true,
  },
  {
    key: 'where',
    label: t`Where`,
    value: (d) => list([...new Set([...(d.gained ?? []), ...(d.lost ?? [])].map((e) => e.application.label))]),
  },
]

/** Who gained and lost what from the end of one day to the end of another. */
export function GainedAndLostPage() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const me = useMe()
  const today = dayOf(me.now)
  const from = search.from ?? monthBefore(today)
  const to = search.to ?? today
  const set = (part: Partial<typeof search>) => void navigate({ search: (s) => ({ ...s, ...part }) })
  const applications = useQuery(ask('/api/v1/applications', { params: { query: {} } }))
  const asked = {
    from: endOfDay(from, me.time_zone),
    to: to >= today ? undefined : endOfDay(to, me.time_zone),
    application: search.application,
  }
  const between = useQuery({
    enabled: from < to,
    placeholderData: keepPreviousData,
    ...ask('/api/v1/gained-and-lost', { params: { query: { ...asked, limit: 200 } } }),
  })
  const b = between.data
  return (
    <>
      <Title list="gained-and-lost" query={asked}>
        <Trans>Access gained and lost</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>Who can do more or less than on an earlier day: because of changes, and because dates began or ended.</Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-3">
        <label>
          <Trans>From the end of</Trans>
          <input
            type="date"
            className="field"
            min={me.first_revision_at?.slice(0, 10)}
            max={today}
            value={from}
            onChange={(e) => set({ from: e.target.value || undefined })}
          />
        </label>
        <label>
          <Trans>to the end of</Trans>
          <input type="date" className="field" max={today} value={to} onChange={(e) => set({ to: e.target.value || undefined })} />
        </label>
        <label>
          <Trans>in</Trans>
          <select className="field" value={search.application ?? ''} onChange={(e) => set({ application: e.target.value || undefined })}>
            <option value="">
              <Trans>All applications</Trans>
            </option>
            {(applications.data?.applications ?? []).map((a) => (
              <option key={a.id} value={a.key}>
                {a.label}
              </option>
            ))}
          </select>
        </label>
      </div>
      {from >= to && (
        <Empty>
          <Trans>The first day must come before the second.</Trans>
        </Empty>
      )}
      {between.error && <Trouble error={between.error} retry={() => void between.refetch()} />}
      {between.isPending && from < to && !between.error && <Loading what={t`both days`} />}
      {b && from < to && (
        <p role="status" className="mt-4">
          <Trans>
            <strong>{plural(b.total, { one: '# user', other: '# users' })}</strong> between {fullDay(from)} (revision {b.from.revision}) and{' '}
            {to >= today ? t`now` : fullDay(to)} (revision {b.to.revision}):{' '}
            <span className="text-kelp font-semibold">{b.gained} gained</span>,{' '}
            <span className="text-brick font-semibold">{b.lost} lost</span>.
          </Trans>
        </p>
      )}
      {b && b.total === 0 && (
        <Empty>
          <Trans>Nobody gained or lost access between these days.</Trans>
        </Empty>
      )}
      {b && b.users.length > 0 && (
        <ListTable
          what={t`user`}
          rows={b.users}
          columns={columns}
          id={(u) => u.user.id!}
          detail={(u) => <DifferenceLines difference={u} />}
        />
      )}
      {b?.next && (
        <p className="text-soft mt-2">
          <Trans>The first 200. Choose an application or a shorter time to see the others, or export them all.</Trans>
        </p>
      )}
    </>
  )
}
