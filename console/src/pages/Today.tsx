import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { Empty, Loading, Trouble } from '../shared/State'
import { until } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { PendingChanges } from './PendingChanges'
import { RequestLines } from './requests/Line'
import { ask } from '../api/ask'

/** What waits for whoever looks. */
export function TodayPage() {
  const me = useMe()
  const { now, past } = useDay()
  const today = useQuery({ ...ask('/api/v1/today'), enabled: !past })
  if (past)
    return (
      <>
        <h1>
          <Trans>Today</Trans>
        </h1>
        <Empty>
          <Trans>This page is about what waits now, and cannot be read of a past day. The ledger tells what was done on that day.</Trans>
        </Empty>
      </>
    )
  if (today.error) return <Trouble page error={today.error} retry={() => void today.refetch()} />
  if (!today.data) return <Loading what={t`what is waiting for you`} />
  const all = today.data
  return (
    <>
      <h1>
        <Trans>Today</Trans>
      </h1>
      <p className="text-soft mt-1">
        {all.to_decide.length === 0
          ? t`Nothing is waiting for your decision.`
          : t`${plural(all.to_decide.length, { one: '# request', other: '# requests' })} to decide.`}{' '}
        <Link to="/users/$user" params={{ user: me.user.key! }} className="press">
          <Trans>My access</Trans>
        </Link>
        {', '}
        <Link to="/catalogue" className="press">
          <Trans>request access</Trans>
        </Link>
        .
      </p>
      {me.may['applications.create'] && me.may['roles.create'] && <Begin />}
      {all.to_decide.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>To decide</Trans>
          </h2>
          <RequestLines requests={all.to_decide} />
        </>
      )}
      <PendingChanges />
      {all.reviews.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>To review</Trans>
          </h2>
          <ul>
            {all.reviews.map((r) => (
              <li key={r.key} className="border-rule border-b py-2">
                <Link to="/reviews/$round" params={{ round: r.key }} className="press">
                  {r.label}
                </Link>{' '}
                <span className="text-brass">
                  <Trans>{plural(r.items, { one: '# item', other: '# items' })} for you</Trans>
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {all.stuck.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>Stuck: no approver</Trans>
          </h2>
          <p className="text-soft">
            <Trans>
              These requests are at a step that nobody can decide. Set the user’s manager or the role’s owner, or change the approval route
              and have the role requested again.
            </Trans>
          </p>
          <RequestLines requests={all.stuck} />
        </>
      )}
      {all.mine.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>Your requests</Trans>
          </h2>
          <RequestLines requests={all.mine} />
        </>
      )}
      {me.may['settings.read'] && <Watched />}
      {all.ending.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>Ends soon</Trans>
          </h2>
          <ul>
            {all.ending.map((e, i) => (
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

/** What is expected and does not hold, and what looks wrong. */
function Watched() {
  const expectations = useQuery(ask('/api/v1/expectations'))
  const findings = useQuery(ask('/api/v1/findings', { params: { query: { limit: 1 } } }))
  const broken = expectations.data?.broken ?? 0
  const wrong = findings.data?.total ?? 0
  if (broken + wrong === 0) return null
  return (
    <>
      <h2 className="mt-6">
        <Trans>To look at</Trans>
      </h2>
      <ul>
        {broken > 0 && (
          <li className="border-rule border-b py-2">
            <Link to="/expectations" className="press">
              {plural(broken, { one: '# expectation', other: '# expectations' })}
            </Link>{' '}
            <span className="text-brick">
              <Trans>{broken === 1 ? t`does` : t`do`} not hold</Trans>
            </span>
          </li>
        )}
        {wrong > 0 && (
          <li className="border-rule border-b py-2">
            <Trans>
              <Link to="/findings" className="press">
                {plural(wrong, { one: '# thing', other: '# things' })}
              </Link>{' '}
              {wrong === 1 ? t`looks` : t`look`} wrong
            </Trans>
          </li>
        )}
      </ul>
    </>
  )
}

/** Leads through an installation that has no application yet. */
function Begin() {
  const applications = useQuery(ask('/api/v1/applications'))
  const roles = useQuery(ask('/api/v1/roles'))
  const users = useQuery(ask('/api/v1/users', { params: { query: { limit: 2 } } }))
  const expectations = useQuery({
    ...ask('/api/v1/expectations'),
    retry: false,
  })
  if (!applications.data || !roles.data || !users.data) return null
  const apps = applications.data.applications.filter((a) => a.key !== 'able-roster')
  const own = roles.data.roles.filter((r) => r.application && r.application.key !== 'able-roster')
  const held = own.some((r) => r.holder_count > 0)
  const steps = [
    {
      done: apps.length > 0,
      to: '/applications',
      add: 'register-an-application',
      words: t`Register an application`,
      why: t`with its screens and registers`,
    },
    { done: own.length > 0, to: '/applications', words: t`Make its roles`, why: t`on its page: what holders may do, and where` },
    { done: users.data.total > 1, to: '/users/add', words: t`Add the people`, why: t`one by one, or from a file with roster users import` },
    { done: held, to: '/users', words: t`Give them their roles`, why: t`on their page, or to a group they are in` },
    {
      done: (expectations.data?.expectations.length ?? 0) > 0,
      to: '/expectations',
      words: t`Check that it is right`,
      why: t`add expectations; then use View as to see what somebody can do`,
    },
  ] as const
  if (steps.slice(0, 4).every((s) => s.done)) return null
  return (
    <section aria-label={t`How to begin`} className="bg-wash mt-5 max-w-180 rounded-md p-4">
      <h2>
        <Trans>How to begin</Trans>
      </h2>
      <ol className="mt-2">
        {steps.map((s, i) => (
          <li key={s.words} className="border-rule flex gap-3 border-b py-2 last:border-b-0">
            <span className={s.done ? 'text-kelp font-semibold' : 'text-soft'}>{s.done ? '✓' : i + 1}</span>
            <span>
              <Link to={s.to} search={{ add: 'add' in s ? s.add : undefined }} className="press">
                {s.words}
              </Link>
              <span className="text-soft">: {s.why}.</span>
            </span>
          </li>
        ))}
      </ol>
      <p className="text-soft mt-2 text-sm">
        <Trans>A roster file can describe all of it at once: roster file load.</Trans>
      </p>
    </section>
  )
}
