import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { Empty, Loading, Trouble } from '../shared/State'
import { Limits } from '../shared/Limits'
import { shortDay, unitWords, until } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { AccessLines } from './users/AccessLines'
import { AskMay } from '../shared/AskMay'
import { ask } from '../api/ask'
import { SecondFactor } from './account/SecondFactor'
import { Providers } from './account/Providers'
import { SignIns } from './account/SignIns'
import { MySharedAccounts } from './account/SharedAccounts'
import { Sponsored } from './account/Sponsored'
import { Substitutes } from './users/Substitutes'

const route = getRouteApi('/shell/my-access')

/** Who I am, what I have and why and until when, and who handed it to me. */
export function MyAccessPage() {
  const { now, past } = useDay()
  const me = useMe()
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const mine = useQuery({ ...ask('/api/v1/me/access'), enabled: !past })
  if (past)
    return (
      <>
        <h1>
          <Trans>My access</Trans>
        </h1>
        <Empty>
          <Trans>This page is about today: go back to today to see it.</Trans>
        </Empty>
      </>
    )
  if (mine.error) return <Trouble page error={mine.error} retry={() => void mine.refetch()} />
  if (!mine.data) return <Loading what={t`what you have`} />
  const { user: u, access, parts, manager } = mine.data
  const known = access.lines.map((l) => l.application)
  const direct = u.assignments.filter((a) => !a.until || new Date(a.until) > now)
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{u.display_name}</h1>
        <span className="text-soft font-mono">{u.user_name}</span>
      </div>
      <p className="text-soft mt-1">
        {[
          u.title,
          unitWords(u.unit),
          manager && t`reports to ${manager.label}`,
          u.start_date && t`since ${shortDay(u.start_date)}`,
          u.end_date && t`last day ${shortDay(u.end_date)}`,
        ]
          .filter(Boolean)
          .join(' · ')}
      </p>
      <p className="mt-1">
        <Trans>
          You have <strong>{plural(access.things, { one: '# entitlement', other: '# entitlements' })}</strong> in{' '}
          <strong>{plural(access.applications, { one: '# application', other: '# applications' })}</strong>
        </Trans>
        {access.ending_soon > 0 && (
          <>
            ;{' '}
            <strong>
              <Trans>{access.ending_soon} end within 14 days</Trans>
            </strong>
          </>
        )}
        <Trans>
          . Do you need more?{' '}
          <Link to="/catalogue" className="press">
            Request access
          </Link>
        </Trans>
      </p>
      {parts.length > 0 && (
        <section aria-label={t`Your delegations`} className="bg-wash mt-4 max-w-180 rounded-md p-3">
          <h2>
            <Trans>Your delegations</Trans>
          </h2>
          <ul className="mt-1 list-disc pl-5">
            {parts.map((p) => (
              <li key={p}>
                <Trans>You {p}.</Trans>
              </li>
            ))}
          </ul>
        </section>
      )}
      <h2 className="mt-6">
        <Trans>Given to you directly</Trans>
      </h2>
      {direct.length === 0 && (
        <Empty>
          <Trans>No role directly: your roles come through groups and default rules.</Trans>
        </Empty>
      )}
      {direct.length > 0 && (
        <table className="register">
          <tbody>
            {direct.map((a) => (
              <tr key={a.id}>
                <td className="w-60">
                  {a.role.key && me.may['roles.read'] ? (
                    <Link to="/roles/$role" params={{ role: a.role.key }} className="press">
                      {a.role.label}
                    </Link>
                  ) : (
                    a.role.label
                  )}
                </td>
                <td className={a.until || a.from ? 'text-brass w-44' : 'text-soft w-44'}>
                  {a.from && new Date(a.from) > now ? t`from ${shortDay(a.from)}` : until(a.until, now)}
                  <Limits assignment={a} />
                </td>
                <td className="text-soft text-sm">
                  {a.default && t`by the default rule ${a.default.label}. `}
                  {a.given?.reason && `${a.given.by?.label ?? t`The host`}, ${shortDay(a.given.at)}: ${a.given.reason}`}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <h2 className="mt-6">
        <Trans>May I …?</Trans>
      </h2>
      <AskMay
        user={{ key: u.user_name, label: u.display_name }}
        asked={search}
        set={(m) => void navigate({ search: (s) => ({ ...s, ...m }), replace: true })}
        known={known}
      />
      <h2 className="mt-6">
        <Trans>All you can do, and through what</Trans>
      </h2>
      <AccessLines lines={access.lines} now={now} />
      <Substitutes user={u} acts={!!me.may['users.read']} own />
      <Sponsored />
      <MySharedAccounts />
      <section aria-labelledby="sign-in-of-mine" className="mt-8 max-w-180">
        <h2 id="sign-in-of-mine">
          <Trans>Sign-in</Trans>
        </h2>
        <SecondFactor />
        <Providers />
        <SignIns />
      </section>
    </>
  )
}
