import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { RevisionRows } from '../../shared/Revisions'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Tabs } from '../../shared/Tabs'
import { keyOf } from '../../shared/key'
import { Limits } from '../../shared/Limits'
import { dayOf, shortDay, unitWords, until } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { Timeline } from './Timeline'
import { AccessLines } from './AccessLines'
import { Attributes } from './Attributes'
import { GrantRole, JoinGroup, SetRoles } from './Give'
import { Compare } from './Compare'
import { Opened } from './Opened'
import { StatusText } from './List'
import { Report } from '../../shared/Report'
import { AskMay } from '../../shared/AskMay'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/users/$user')

/** One user: who they are, what they can do and why, what was given, when. */
export function OneUser() {
  const { user: name } = route.useParams()
  const { tab, application, action, path: resource } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, now, past } = useDay()
  const me = useMe()
  const path = { user: name }
  const user = useQuery(ask('/api/v1/users/{user}', { params: { path, query: { as_of: asOf } } }))
  const access = useQuery(ask('/api/v1/users/{user}/access', { params: { path, query: { as_of: asOf } } }))
  if (user.error) return <Trouble page error={user.error} retry={() => void user.refetch()} />
  if (!user.data) return <Loading what={name} />
  const u = user.data
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{u.display_name}</h1>
        <span className="text-soft font-mono">{u.user_name}</span>
      </div>
      <p className="mt-1.5">
        <strong>
          <StatusText user={u} />
        </strong>
        <span className="text-soft">
          {u.kind === 'service' && t` · service account`}
          {u.title && ` · ${u.title}`}
          {u.unit && (
            <>
              {u.title ? ', ' : ' · '}
              <Link to="/users" search={{ unit: u.unit }} className="press text-soft">
                {unitWords(u.unit)}
              </Link>
            </>
          )}
          {u.start_date && t`, since ${shortDay(u.start_date)}`}
          {u.end_date && t` · last day ${shortDay(u.end_date)}`}
          {placesNow(u, now).map(
            (p) => t` · also ${[p.title, p.unit && unitWords(p.unit)].filter(Boolean).join(', ')} until ${shortDay(p.end_date)}`,
          )}
          {u.manager && (
            <>
              <Trans>{' · reports to '}</Trans>
              {u.manager.key ? (
                <Link to="/users/$user" params={{ user: u.manager.key }} className="press">
                  {u.manager.label}
                </Link>
              ) : (
                u.manager.label
              )}
            </>
          )}
        </span>
      </p>
      {access.data && <Sum access={access.data} />}
      {u.closed && (
        <Opened
          user={{ key: u.user_name, label: u.display_name }}
          opening={u.opening}
          revision={u.revision}
          acts={!past && !!me.may['users.update'] && u.status !== 'departed'}
        />
      )}
      <p className="mt-1 flex flex-wrap gap-x-5 print:hidden">
        <Link to="/view-as" search={{ user: u.user_name }} className="press">
          <Trans>View as {u.display_name}</Trans>
        </Link>{' '}
        <Report of="users" id={u.user_name} />
      </p>
      <Tabs
        chosen={tab}
        choose={(tab) =>
          void navigate({
            search: (s) => ({ ...s, tab: tab === 'access' ? undefined : tab, q: undefined, sort: undefined, only: undefined }),
          })
        }
        tabs={[
          {
            key: 'access',
            label: t`Access`,
            body: access.error ? (
              <Trouble error={access.error} retry={() => void access.refetch()} />
            ) : access.data ? (
              <AccessLines lines={access.data.lines} now={now} user={u.user_name} />
            ) : (
              <Loading what={t`their access`} />
            ),
          },
          {
            key: 'check',
            label: t`Check`,
            body: (
              <AskMay
                user={{ key: u.user_name, label: u.display_name }}
                asked={{ application, action, path: resource }}
                set={(m) => void navigate({ search: (s) => ({ ...s, ...m }), replace: true })}
              />
            ),
          },
          { key: 'given', label: t`Groups and roles`, count: u.groups.length + u.assignments.length, body: <GivenTo user={u} now={now} /> },
          { key: 'attributes', label: t`Attributes`, body: <Attributes user={u} /> },
          { key: 'compare', label: t`Compare`, body: <Compare user={u} /> },
          { key: 'timeline', label: t`Timeline`, body: <Timeline user={u.user_name} now={now} /> },
          { key: 'history', label: t`History`, body: <RevisionRows query={{ user: u.user_name }} /> },
        ]}
      />
    </>
  )
}

/** The positions that somebody has today, but for the one they moved from. */
const placesNow = (u: Schemas['UserDetail'], now: Date) =>
  (u.positions ?? []).filter((p) => !p.former && p.start_date <= dayOf(now) && dayOf(now) <= p.end_date)

function Sum({ access: a }: { access: Schemas['Access'] }) {
  if (!a.effective)
    return (
      <p className="mt-1">
        <Trans>No access now: not active, absent, closed, or outside the start and end dates.</Trans>
      </p>
    )
  return (
    <p className="mt-1">
      <Trans>
        Has <strong>{plural(a.things, { one: '# entitlement', other: '# entitlements' })}</strong> in{' '}
        <strong>{plural(a.applications, { one: '# application', other: '# applications' })}</strong>
      </Trans>
      {a.ending_soon > 0 && (
        <>
          ;{' '}
          <strong>
            <Trans>{a.ending_soon} end within 14 days</Trans>
          </strong>
        </>
      )}
      .
    </p>
  )
}

function GivenTo({ user, now }: { user: Schemas['UserDetail']; now: Date }) {
  const me = useMe()
  const sheet = useSheet()
  const { past } = useDay()
  const acts = !past && user.status !== 'departed'
  return (
    <>
      {acts && me.may['reviews.create'] && user.manager && user.assignments.length + user.groups.length > 0 && (
        <button
          type="button"
          className="button-quiet mt-3"
          onClick={() =>
            sheet.add(
              {
                verb: t`Put`,
                what: t`what ${user.display_name} was given by hand before ${user.manager!.label}`,
                operations: [
                  {
                    op: 'open_round',
                    key: keyOf(`moved ${user.user_name} ${dayOf(now)}`),
                    label: t`What ${user.display_name} was given by hand`,
                    people: [user.user_name],
                    by_hand: true,
                    reviewers: 'manager',
                  },
                ],
              },
              user.revision,
            )
          }
        >
          <Trans>Have {user.manager.label} review what was given by hand</Trans>
        </button>
      )}
      <h2 className="mt-3">
        <Trans>Roles held directly</Trans>
      </h2>
      {user.assignments.length === 0 && (
        <Empty>
          <Trans>None. Access is usually better given through a group.</Trans>
        </Empty>
      )}
      {user.assignments.length > 0 && (
        <table className="register">
          <tbody>
            {user.assignments.map((a) => (
              <tr key={a.id}>
                <td className="w-60">
                  {a.role.key ? (
                    <Link to="/roles/$role" params={{ role: a.role.key }} className="press">
                      {a.role.label}
                    </Link>
                  ) : (
                    a.role.label
                  )}
                  <div className="text-soft font-mono text-sm">{a.role.key}</div>
                </td>
                <td className={a.until || a.from ? 'text-brass w-44' : 'text-soft w-44'}>
                  {a.from && new Date(a.from) > now ? t`from ${shortDay(a.from)}` : until(a.until, now)}
                  <Limits assignment={a} />
                </td>
                <td className="text-soft text-sm">
                  {a.given?.reason && (
                    <>
                      {a.given.by?.label ?? t`The host`}, {shortDay(a.given.at)}: {a.given.reason}
                    </>
                  )}
                </td>
                {acts && me.may['roles.assign'] && (
                  <td className="text-right">
                    {a.default ? (
                      <span className="text-soft">
                        <Trans>by the default rule {a.default.label}</Trans>
                      </span>
                    ) : (
                      <button
                        type="button"
                        className="press"
                        aria-label={t`Revoke ${a.role.label}`}
                        onClick={() =>
                          sheet.add(
                            {
                              verb: t`Revoke`,
                              what: t`${a.role.label} of ${user.display_name}`,
                              detail: t`now`,
                              operations: [{ op: 'revoke', assignment: a.id }],
                            },
                            user.revision,
                          )
                        }
                      >
                        <Trans>Revoke</Trans>
                      </button>
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {acts && me.may['roles.assign'] && (
        <>
          <GrantRole to={{ user: user.user_name, label: user.display_name, revision: user.revision }} />
          <SetRoles key={user.revision} user={user} />
        </>
      )}
      <h2 className="mt-7">
        <Trans>Groups</Trans>
      </h2>
      {user.groups.length === 0 && (
        <Empty>
          <Trans>In no group.</Trans>
        </Empty>
      )}
      {user.groups.length > 0 && (
        <table className="register">
          <tbody>
            {user.groups.map((g) => (
              <tr key={g.id}>
                <td className="w-60">
                  {g.group.key ? (
                    <Link to="/groups/$group" params={{ group: g.group.key }} className="press">
                      {g.group.label}
                    </Link>
                  ) : (
                    g.group.label
                  )}
                </td>
                <td className="text-soft">
                  {g.through ? t`through ${g.through.label}` : g.rule ? t`by its rule` : g.position ? t`by a position` : t`listed`}
                </td>
                <td className="text-soft">{until(g.until, now)}</td>
                {acts && me.may['groups.update'] && (
                  <td className="text-right">
                    {g.default && (
                      <span className="text-soft">
                        <Trans>by the default rule {g.default.label}</Trans>
                      </span>
                    )}
                    {!g.through && !g.rule && !g.default && !g.position && g.group.key && (
                      <button
                        type="button"
                        className="press"
                        aria-label={t`Remove from ${g.group.label}`}
                        onClick={() =>
                          sheet.add(
                            {
                              verb: t`Remove`,
                              what: t`${user.display_name} from ${g.group.label}`,
                              operations: [{ op: 'remove_member', group: g.group.key!, user: user.user_name }],
                            },
                            user.revision,
                          )
                        }
                      >
                        <Trans>Remove</Trans>
                      </button>
                    )}
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {acts && me.may['groups.update'] && <JoinGroup user={user} />}
    </>
  )
}
