import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { answer, api } from '../api/client'
import { Loading, Trouble } from '../shared/State'
import { count, until } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
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
