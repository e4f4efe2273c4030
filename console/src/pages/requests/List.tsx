import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { inks, whereItIs } from './Line'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/requests')

const kinds = [
  { key: '', label: 'All' },
  { key: 'decide', label: 'To decide' },
  { key: 'mine', label: 'My requests' },
  { key: 'waiting', label: 'Waiting' },
  { key: 'approved', label: 'Approved' },
  { key: 'refused', label: 'Refused' },
  { key: 'withdrawn', label: 'Withdrawn' },
] as const

const columns: ListColumn<Schemas['Request']>[] = [
  {
    key: 'role',
    label: 'Role',
    value: (r) => r.role.label,
    show: (r) => (
      <Link to="/requests/$request" params={{ request: r.id }} className="press">
        {r.role.label}
      </Link>
    ),
  },
  { key: 'for', label: 'For', value: (r) => r.beneficiary.label },
  { key: 'state', label: 'State', value: (r) => r.state, show: (r) => <span className={inks[r.state]}>{r.state}</span>, choose: true },
  { key: 'where', label: 'Where it is', value: (r) => whereItIs(r) },
  { key: 'asked', label: 'Requested', value: (r) => r.asked?.at ?? '', show: (r) => r.asked && shortDay(r.asked.at) },
  { key: 'why', label: 'Why', value: (r) => r.asked?.reason ?? '' },
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
  if (!requests.data) return <Loading what="the requests" />
  return (
    <>
      <Title
        list="requests"
        query={{ state, decide: kind === 'decide' || undefined, mine: kind === 'mine' || undefined, as_of: asOf }}
        more={
          !past && (
            <Link to="/catalogue" className="button">
              Request access
            </Link>
          )
        }
      >
        Requests
      </Title>
      <div className="mt-3 flex flex-wrap items-center gap-4">
        <label className="flex items-center gap-2">
          Show
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
        <span className="text-soft">{count(requests.data.total, 'request')}.</span>
      </div>
      {requests.data.requests.length === 0 ? (
        <Empty>No requests. Request access in the access catalogue; approvers decide here.</Empty>
      ) : (
        <ListTable what="request" rows={requests.data.requests} columns={columns} id={(r) => r.id} />
      )}
      {requests.data.total > requests.data.requests.length && (
        <p className="text-soft mt-2">The first {requests.data.requests.length}. Choose a kind to see others.</p>
      )}
    </>
  )
}
