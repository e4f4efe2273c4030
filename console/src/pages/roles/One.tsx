import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { RevisionRows } from '../../shared/Revisions'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Tabs } from '../../shared/Tabs'
import { Limits } from '../../shared/Limits'
import { shortDay, until } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { CompareRoles } from './Compare'
import { DescribeRole, Includes } from './Describe'
import { Permissions } from './Permissions'
import { Report } from '../../shared/Report'
import { RetireRole } from '../../shared/Retirement'
import { ask } from '../../api/ask'

const route = getRouteApi('/shell/roles/$role')

/** One role: what it permits, what it includes, who holds it, and how to alter it. */
export function OneRole() {
  const { role: key } = route.useParams()
  const { tab } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, now, past } = useDay()
  const me = useMe()
  const role = useQuery(ask('/api/v1/roles/{role}', { params: { path: { role: key }, query: { as_of: asOf } } }))
  if (role.error) return <Trouble page error={role.error} retry={() => void role.refetch()} />
  if (!role.data) return <Loading what={key} />
  const r = role.data
  const writes = !past && !!me.may['roles.update']
  const facts = [
    r.risk && t`${r.risk} risk`,
    r.max_days && t`held for at most ${plural(r.max_days, { one: '# day', other: '# days' })}`,
    r.held_within && t`held only within ${r.held_within}`,
    r.requestable && 'requestable',
    r.max_shares && t`shareable with at most ${plural(r.max_shares, { one: '# user', other: '# users' })} within a resource`,
    r.owner ? t`${r.owner.label} owns it` : t`no owner`,
  ].filter(Boolean)
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{r.label}</h1>
        <span className="text-soft font-mono">{r.key}</span>
      </div>
      <p className="mt-1.5">
        {r.description}{' '}
        <span className="text-soft">
          {r.application ? (
            <>
              <Trans>
                A role of{' '}
                <Link
                  to="/applications/$application"
                  params={{ application: r.application.key! }}
                  search={{ tab: 'roles' }}
                  className="press"
                >
                  {r.application.label}
                </Link>
              </Trans>
            </>
          ) : (
            t`A role of the whole organisation`
          )}
          {facts.map((f) => `; ${f}`)}.
        </span>
        {r.retired && (
          <strong className="text-brass">
            <Trans> Retired: it gives nothing.</Trans>
          </strong>
        )}
      </p>
      {r.includes.length > 0 && (
        <p className="mt-1">
          <Trans>
            Includes <RoleLinks refs={r.includes} />.
          </Trans>
        </p>
      )}
      {r.included_by.length > 0 && (
        <p className="mt-1">
          <Trans>
            Included by <RoleLinks refs={r.included_by} />.
          </Trans>
        </p>
      )}
      <p className="mt-1">
        <Report of="roles" id={r.key} />
      </p>
      <Tabs
        chosen={tab}
        choose={(tab) => void navigate({ search: (s) => ({ ...s, tab: tab === 'permits' ? undefined : tab }) })}
        tabs={[
          { key: 'permissions', label: t`Permissions`, body: <Permissions role={r} /> },
          {
            key: 'holders',
            label: t`Held by`,
            count: (r.holders ?? []).length,
            body:
              (r.holders ?? []).length === 0 ? (
                <Empty>
                  <Trans>Nobody.</Trans>
                </Empty>
              ) : (
                <Holders role={r} now={now} />
              ),
          },
          { key: 'includes', label: t`Includes`, count: r.includes.length, body: <Includes role={r} writes={writes} /> },
          { key: 'compare', label: t`Compare`, body: <CompareRoles role={r} /> },
          ...(writes ? [{ key: 'details', label: t`Details`, body: <DescribeRole role={r} /> }] : []),
          ...(writes && !r.retired ? [{ key: 'retire', label: t`Retire`, body: <RetireRole role={r.key} /> }] : []),
          ...(me.may['ledger.read'] ? [{ key: 'history', label: t`History`, body: <RevisionRows query={{ role: r.id }} /> }] : []),
        ]}
      />
    </>
  )
}

function RoleLinks({ refs }: { refs: Schemas['Ref'][] }) {
  return refs.map((x, i) => (
    <span key={i}>
      {i > 0 && ', '}
      {x.key ? (
        <Link to="/roles/$role" params={{ role: x.key }} className="press">
          {x.label}
        </Link>
      ) : (
        x.label
      )}
    </span>
  ))
}

function Holders({ role, now }: { role: Schemas['Role']; now: Date }) {
  const me = useMe()
  const sheet = useSheet()
  const { past } = useDay()
  return (
    <table className="register">
      <tbody>
        {role.holders!.map((a) => (
          <tr key={a.id}>
            <td className="w-64">
              {a.assignee_kind === 'user' ? (
                <Link to="/users/$user" params={{ user: a.assignee.key! }} className="press">
                  {a.assignee.label}
                </Link>
              ) : (
                <>
                  <span className="text-soft">
                    <Trans>group </Trans>
                  </span>
                  <Link to="/groups/$group" params={{ group: a.assignee.key! }} className="press">
                    {a.assignee.label}
                  </Link>
                </>
              )}
              {a.through && (
                <div className="text-soft text-sm">
                  <Trans>as part of {a.through.map((tab) => tab.label).join(', ')}</Trans>
                </div>
              )}
            </td>
            <td className={a.until ? 'text-brass w-40' : 'text-soft w-40'}>
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
            {!past && me.may['roles.assign'] && (
              <td className="text-right">
                <button
                  type="button"
                  className="press"
                  aria-label={t`Revoke ${a.role.label} of ${a.assignee.label}`}
                  onClick={() =>
                    sheet.add(
                      {
                        verb: t`Revoke`,
                        what: t`${a.role.label} of ${a.assignee.label}`,
                        detail: t`now`,
                        operations: [{ op: 'revoke', assignment: a.id }],
                      },
                      role.revision,
                    )
                  }
                >
                  <Trans>Revoke</Trans>
                </button>
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  )
}
