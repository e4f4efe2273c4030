import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { inks, whereItIs } from './Line'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/requests')

const kinds = [
  { key: '', label: t`All` },
  { key: 'decide', label: t`To decide` },
  { key: 'mine', label: t`My requests` },
  { key: 'waiting', label: t`Waiting` },
  { key: 'approved', label: t`Approved` },
  { key: 'refused', label: t`Refused` },
  { key: 'withdrawn', label: t`Withdrawn` },
] as const

const columns: ListColumn<Schemas['Request']>[] = [
  {
    key: 'role',
    label: t`Role`,
    value: (r) => r.role.label,
    show: (r) => (
      <Link to="/requests/$request" params={{ request: r.id }} className="press">
        {r.role.label}
      </Link>
    ),
  },
  { key: 'for', label: t`For`, value: (r) => r.beneficiary.label },
  { key: 'state', label: t`State`, value: (r) => r.state, show: (r) => <span className={inks[r.state]}>{r.state}</span>, choose: true },
  { key: 'where', label: t`Where it is`, value: (r) => whereItIs(r) },
  { key: 'asked', label: t`Requested`, value: (r) => r.asked?.at ?? '', show: (r) => r.asked && shortDay(r.asked.at) },
  { key: 'why', label: t`Why`, value: (r) => r.asked?.reason ?? '' },
]

/** The requests one has to do with, or may read. */
export function RequestList() {
  const { kind } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const state = kind === 'waiting' || kind === 'approved' || kind === 'refused' || kind === 'withdrawn' ? kind : undefined
  const requests = useQuery({
    placeholderData: keepPreviousData,
    ...ask('/api/v1/requests', {
      params: { query: { state, decide: kind === 'decide' || undefined, mine: kind === 'mine' || undefined, as_of: asOf, limit: 200 } },
    }),
  })
  if (requests.error) return <Trouble page error={requests.error} retry={() => void requests.refetch()} />
  if (!requests.data) return <Loading what={t`the requests`} />
  return (
    <>
      <Title
        list="requests"
        query={{ state, decide: kind === 'decide' || undefined, mine: kind === 'mine' || undefined, as_of: asOf }}
        more={
          !past && (
            <Link to="/catalogue" className="button">
              <Trans>Request access</Trans>
            </Link>
          )
        }
      >
        <Trans>Requests</Trans>
      </Title>
      <div className="mt-3 flex flex-wrap items-center gap-4">
        <label className="flex items-center gap-2">
          <Trans>Show</Trans>
          <select
            className="field w-auto"
            value={kind ?? ''}
            onChange={(e) => void navigate({ search: (s) => ({ ...s, kind: e.target.value || undefined }) })}
          >
            {kinds.map((k) => (
              <option key={k.key} value={k.key}>
                {k.label}
              </option>
            ))}
          </select>
        </label>
        <span className="text-soft">{plural(requests.data.total, { one: '# request', other: '# requests' })}.</span>
      </div>
      {requests.data.requests.length === 0 ? (
        <Empty>
          <Trans>No requests. Request access in the access catalogue; approvers decide here.</Trans>
        </Empty>
      ) : (
        <ListTable what={t`request`} rows={requests.data.requests} columns={columns} id={(r) => r.id} />
      )}
      {requests.data.total > requests.data.requests.length && (
        <p className="text-soft mt-2">
          <Trans>The first {requests.data.requests.length}. Choose a kind to see others.</Trans>
        </p>
      )}
    </>
  )
}
