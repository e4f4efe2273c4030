import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { getRouteApi } from '@tanstack/react-router'
import { Empty, Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { ask, askPages } from '../../api/ask'
import { Items } from './Items'
import { Progress } from './List'
import { SignOff } from './SignOff'

const route = getRouteApi('/shell/reviews/$round')

/** One round: its lines, decided one by one or many at once, and the sign-off. */
export function OneReview() {
  const { round } = route.useParams()
  const { show } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const review = useQuery(ask('/api/v1/reviews/{round}', { params: { path: { round }, query: { as_of: asOf } } }))
  const shown = show ?? (review.data && review.data.mine > 0 ? 'mine' : 'all')
  const lines = useInfiniteQuery({
    enabled: !!review.data,
    ...askPages('/api/v1/reviews/{round}/items', (cursor) => ({
      params: {
        path: { round },
        query: {
          mine: shown === 'mine' || undefined,
          undecided: shown === 'mine' || shown === 'undecided' || undefined,
          as_of: asOf,
          cursor,
          limit: 100,
        },
      },
    })),
  })
  if (review.error) return <Trouble page error={review.error} retry={() => void review.refetch()} />
  if (!review.data) return <Loading what={round} />
  const r = review.data
  const all = lines.data?.pages.flatMap((p) => p.items) ?? []
  return (
    <>
      <h1>{r.label}</h1>
      <p className="text-soft mt-1">
        <Trans>
          {r.state === 'open' ? t`Under way` : t`Signed off`}. Scope: {r.scope}, as it was in revision {r.fixed_revision} on{' '}
          {shortDay(r.fixed_at)}; reviewed by {r.reviewers}.
        </Trans>
      </p>
      <p className="mt-1">
        <Progress done={r.decided} of={r.items} /> {r.to_revoke > 0 && t`${r.to_revoke} to revoke.`}{' '}
        <a className="press" href={`/api/v1/reviews/${encodeURIComponent(r.key)}/lines.csv`} download>
          <Trans>As a file</Trans>
        </a>
      </p>
      {(r.progress ?? []).length > 1 && (
        <ul className="mt-2">
          {r.progress!.map((p) => (
            <li key={p.reviewer.label} className="text-sm">
              <span className="inline-block w-48">{p.reviewer.label}</span> <Progress done={p.decided} of={p.items} />
            </li>
          ))}
        </ul>
      )}
      {r.may_sign && <SignOff round={r} />}
      <label className="mt-4 flex items-center gap-2">
        <Trans>Show</Trans>
        <select className="field w-auto" value={shown} onChange={(e) => void navigate({ search: (s) => ({ ...s, show: e.target.value }) })}>
          <option value="mine">
            <Trans>for me to decide</Trans>
          </option>
          <option value="undecided">
            <Trans>undecided</Trans>
          </option>
          <option value="all">
            <Trans>all items</Trans>
          </option>
        </select>
      </label>
      {lines.error && <Trouble error={lines.error} retry={() => void lines.refetch()} />}
      {lines.isPending && !lines.error && <Loading what={t`the items`} />}
      {lines.data && all.length === 0 && (
        <Empty>{shown === 'mine' ? t`Nothing is left for you to decide here.` : t`No review item.`}</Empty>
      )}
      {all.length > 0 && (
        <Items key={shown} round={r.key} lines={all} decides={!past && r.state === 'open'} total={lines.data?.pages[0]?.total ?? 0} />
      )}
      {lines.hasNextPage && (
        <button type="button" className="button-quiet mt-3" onClick={() => void lines.fetchNextPage()}>
          <Trans>More items</Trans>
        </button>
      )}
    </>
  )
}
