import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { answer, api, type Operation, type Schemas } from '../api/client'
import { Loading, Trouble } from '../shared/State'
import { count, until } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useCommit } from '../shared/commit'
import { RequestLines } from './requests/Line'

/** What waits for whoever looks. */
export function TodayPage() {
  const me = useMe()
  const { now } = useDay()
  const today = useQuery({ queryKey: ['today'], queryFn: () => answer(api.GET('/api/v1/today')) })
  if (today.error) return <Trouble page error={today.error} retry={() => void today.refetch()} />
  if (!today.data) return <Loading what="what waits for you" />
  const t = today.data
  return (
    <>
      <h1>Today</h1>
      <p className="text-soft mt-1">
        {t.to_decide.length === 0 ? 'Nothing waits for you to decide.' : `${count(t.to_decide.length, 'request')} to decide.`}{' '}
        <Link to="/users/$user" params={{ user: me.user.key! }} className="press">
          What you can do
        </Link>
        {', '}
        <Link to="/ask" className="press">
          ask for more
        </Link>
        .
      </p>
      {t.to_decide.length > 0 && (
        <>
          <h2 className="mt-6">To decide</h2>
          <RequestLines requests={t.to_decide} />
        </>
      )}
      {t.reviews.length > 0 && (
        <>
          <h2 className="mt-6">To review</h2>
          <ul>
            {t.reviews.map((r) => (
              <li key={r.key} className="border-rule border-b py-2">
                <Link to="/reviews/$round" params={{ round: r.key }} className="press">
                  {r.label}
                </Link>{' '}
                <span className="text-brass">{count(r.lines, 'line')} for you</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {t.proposals.length > 0 && (
        <>
          <h2 className="mt-6">Proposed by a review</h2>
          <p className="text-soft">These are held through a group or a default rule, which the review did not touch. Change it there, then say it is settled.</p>
          <ul>
            {t.proposals.map((p) => (
              <Proposed key={p.id} proposal={p} />
            ))}
          </ul>
        </>
      )}
      {t.stuck.length > 0 && (
        <>
          <h2 className="mt-6">Waits for nobody</h2>
          <p className="text-soft">These are at a step that has nobody. Give the user a manager, or the role an owner, or change the route and have it asked for again.</p>
          <RequestLines requests={t.stuck} />
        </>
      )}
      {t.mine.length > 0 && (
        <>
          <h2 className="mt-6">You asked for</h2>
          <RequestLines requests={t.mine} />
        </>
      )}
      {t.ending.length > 0 && (
        <>
          <h2 className="mt-6">Ends soon</h2>
          <ul>
            {t.ending.map((e, i) => (
              <li key={i} className="border-rule border-b py-2">
                {e.role.label} <span className="text-brass">{until(e.until, now)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  )
}

function Proposed({ proposal: p }: { proposal: Schemas['Proposal'] }) {
  const [reason, setReason] = useState('')
  const { commit, problem } = useCommit(() => undefined)
  return (
    <li className="border-rule border-b py-2">
      {p.round.label} would take {p.role.label} from {p.user.label}; it comes{' '}
      {p.group && (
        <>
          through the group{' '}
          <Link to="/groups/$group" params={{ group: p.group.key ?? '' }} className="press">
            {p.group.label}
          </Link>
        </>
      )}
      {p.default && ` by the default rule ${p.default.label}`}.
      <form
        className="mt-1 flex gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          commit.mutate({ operations: [{ op: 'settle_proposal', proposal: p.id } as Operation], reason })
        }}
      >
        <input className="field max-w-80" aria-label={`What came of ${p.role.label} of ${p.user.label}`} placeholder="What came of it" value={reason} onChange={(e) => setReason(e.target.value)} />
        <button type="submit" className="button-quiet" disabled={reason.trim() === '' || commit.isPending}>
          Settled
        </button>
      </form>
      {problem && <p role="alert">{problem.detail}</p>}
    </li>
  )
}
