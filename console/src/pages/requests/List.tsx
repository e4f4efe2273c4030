import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count } from '../../shared/words'
import { useDay } from '../../shell/day'
import { RequestLines } from './Line'
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
        <RequestLines requests={requests.data.requests} />
      )}
      {requests.data.total > requests.data.requests.length && (
        <p className="text-soft mt-2">The first {requests.data.requests.length}. Choose a kind to see others.</p>
      )}
    </>
  )
}
