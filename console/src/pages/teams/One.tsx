import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { ask } from '../../api/ask'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { Empty, Loading, Trouble } from '../../shared/State'
import { UserBox } from '../../shared/UserBox'
import { dayOf } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useTyped } from '../../shell/drafts'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'

const route = getRouteApi('/shell/teams/$team')

type Team = Schemas['Team']

/** One team: who is in it, what it holds, and what its owner may do with it. */
export function OneTeam() {
  const { team: key } = route.useParams()
  const { asOf } = useDay()
  const sheet = useSheet()
  const all = useQuery(ask('/api/v1/teams', { params: { query: { group: key, as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what={key} />
  const team = all.data.teams[0]!
  const { revision } = all.data
  const add = (verb: string, what: string, ...operations: Operation[]) => sheet.add({ verb, what, operations }, revision)
  const manages = team.mine ? t`you manage it` : team.owner ? t`${team.owner.label} manages it` : t`nobody manages it`
  return (
    <>
      <div className="flex flex-wrap items-start justify-between gap-4">
        <div className="flex flex-wrap items-baseline gap-x-4">
          <h1>{team.group.label}</h1>
          <span className="text-soft font-mono">{team.group.key}</span>
        </div>
        {team.may.length > 0 && (
          <div className="flex flex-wrap gap-3">
            {team.may.includes('edit') && (
              <AddPanel label={t`Edit`}>{(done) => <Edit team={team} revision={revision} done={done} />}</AddPanel>
            )}
            {team.may.includes('close') && (
              <button
                type="button"
                className="button-quiet"
                onClick={() => add(t`Close`, t`the team ${team.group.label}`, { op: 'close_team', group: team.group.key! })}
              >
                <Trans>Close the team</Trans>
              </button>
            )}
          </div>
        )}
      </div>
      <p className="text-soft mt-1.5">
        {team.description}
        <Trans>
          {' '}
          A team of {team.team_rule.label}; {manages}.
        </Trans>
      </p>
      {team.closed && (
        <p className="border-brass mt-3 border-l-3 pl-3">
          <Trans>It was closed: nobody is in it, and it holds no role.</Trans>
        </p>
      )}
      {team.rests && <p className="border-brass mt-3 border-l-3 pl-3">{team.rests}</p>}
      {team.member_count === undefined && !team.closed && (
        <Empty>
          <Trans>You are in it. Who else is in it, its owner knows.</Trans>
        </Empty>
      )}
      <div className="mt-6 grid gap-x-12 gap-y-8 xl:grid-cols-2">
        {team.member_count !== undefined && <Members team={team} add={add} revision={revision} />}
        {team.roles.length > 0 && <Roles team={team} add={add} />}
      </div>
    </>
  )
}

type Add = (verb: string, what: string, ...operations: Operation[]) => void

function Members({ team, add, revision }: { team: Team; add: Add; revision: number }) {
  const [user, setUser] = useTyped(`Team member ${team.group.key}`, { key: '', name: '' })
  const group = team.group.key!
  const edits = team.may.includes('members')
  return (
    <section aria-labelledby="team-members">
      <div className="flex items-baseline justify-between gap-4">
        <h2 id="team-members">
          {plural(team.member_count!, { one: '# member', other: '# members' })}{' '}
          <span className="text-soft font-normal">
            <Trans>of at most {team.max_members}</Trans>
          </span>
        </h2>
        {team.may.includes('invite') && (
          <AddPanel label={t`Invite somebody`} press={t`Invite somebody`}>
            {(done) => <Invite team={team} revision={revision} done={done} />}
          </AddPanel>
        )}
      </div>
      <table className="register mt-2">
        <tbody>
          {team.members.map((m, i) => (
            <tr key={m.user.id ?? i}>
              <td>
                {m.user.key && m.status ? (
                  <Link to="/users/$user" params={{ user: m.user.key }} className="press">
                    {m.user.label}
                  </Link>
                ) : (
                  m.user.label
                )}{' '}
                <span className="text-soft font-mono text-sm">{m.user.key}</span>
              </td>
              <td className="text-soft">{[m.owner && 'owner', m.status !== 'active' && m.status].filter(Boolean).join(', ')}</td>
              <td className="text-right">
                {edits && m.user.key && (
                  <button
                    type="button"
                    className="press"
                    aria-label={t`Remove ${m.user.label}`}
                    onClick={() =>
                      add(t`Remove`, t`${m.user.label} from ${team.group.label}`, { op: 'remove_member', group, user: m.user.key! })
                    }
                  >
                    <Trans>Remove</Trans>
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {edits && (
        <form
          aria-label={t`Add somebody`}
          className="mt-3 flex items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            add(t`Add`, t`${user.name || user.key} to ${team.group.label}`, { op: 'add_member', group, user: user.key })
            setUser({ key: '', name: '' })
          }}
        >
          <div className="grow">
            <Trans>
              User to add
              <UserBox label={t`User to add`} value={user.key} onChange={(key, name) => setUser({ key, name })} />
            </Trans>
          </div>
          <button type="submit" className="button-quiet" disabled={!user.key}>
            <Trans>Add to change sheet</Trans>
          </button>
        </form>
      )}
    </section>
  )
}

function Roles({ team, add }: { team: Team; add: Add }) {
  const group = team.group.key!
  return (
    <section aria-labelledby="team-roles">
      <h2 id="team-roles">
        <Trans>Roles</Trans>
      </h2>
      <table className="register mt-2">
        <tbody>
          {team.roles.map((r) => (
            <tr key={r.assignment ?? r.role.id}>
              <td>
                {r.role.label} <span className="text-soft font-mono text-sm">{r.role.key}</span>
              </td>
              <td className={r.assignment ? '' : 'text-soft'}>{r.assignment ? t`its members hold it` : t`not given`}</td>
              <td className="text-right">
                {team.may.includes('roles') && r.chosen && (
                  <button
                    type="button"
                    className="press"
                    aria-label={`${r.assignment ? t`Remove` : t`Give`} ${r.role.label}`}
                    onClick={() =>
                      r.assignment
                        ? add(t`Revoke`, t`${r.role.label} from ${team.group.label}`, { op: 'revoke', assignment: r.assignment })
                        : add(t`Grant`, t`${r.role.label} to ${team.group.label}`, { op: 'grant', group, role: r.role.key! })
                    }
                  >
                    {r.assignment ? t`Remove` : t`Give`}
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}

function Invite({ team, revision, done }: { team: Team; revision: number; done: () => void }) {
  const sheet = useSheet()
  const me = useMe()
  const start = { name: '', email: '' }
  const [x, setX] = useTyped(`Invite ${team.group.key}`, start)
  const g = team.guests!
  const last = g.days ? dayOf(new Date(new Date(me.now).getTime() + g.days * 86_400_000)) : undefined
  const reports = g.sponsor ? t` They report to ${g.sponsor.label}.` : ''
  const company = g.company ? t` They work for ${g.company}.` : ''
  return (
    <form
      aria-label={t`Invite somebody`}
      className="mt-3 grid gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        const user = x.email.trim()
        const newcomer: Operation = {
          op: 'add_user',
          user_name: user,
          display_name: x.name.trim(),
          email: user,
          status: 'invited',
          unit: g.unit ?? '',
          employment_type: g.employment_type ?? '',
          company: g.company ?? '',
          ...(g.sponsor?.key && { manager: g.sponsor.key }),
          ...(last && { end_date: last }),
        }
        sheet.add(
          {
            verb: t`Invite`,
            what: t`${x.name.trim()} into ${team.group.label}`,
            operations: [newcomer, { op: 'add_member', group: team.group.key!, user }],
          },
          revision,
        )
        setX(start)
        done()
      }}
    >
      <p className="text-soft">
        <Trans>
          A link is mailed by which they choose a password.{company}
          {g.days ? t` Their last day is ${plural(g.days, { one: '# day', other: '# days' })} from today.` : ''}
          {reports}
        </Trans>
      </p>
      <label>
        <Trans>Their name</Trans>
        <input className="field" value={x.name} onChange={(e) => setX({ ...x, name: e.target.value })} />
      </label>
      <label>
        <Trans>
          E-mail address <span className="text-soft text-sm">their user name too</span>
        </Trans>
        <input className="field" type="email" value={x.email} onChange={(e) => setX({ ...x, email: e.target.value })} />
      </label>
      <button type="submit" className="button justify-self-start" disabled={!x.name.trim() || !x.email.includes('@')}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

function Edit({ team, revision, done }: { team: Team; revision: number; done: () => void }) {
  const sheet = useSheet()
  const start = { label: team.group.label, description: team.description ?? '', owner: team.owner?.key ?? '' }
  const [x, setX] = useTyped(`Edit team ${team.group.key}`, start)
  return (
    <form
      aria-label={t`Edit ${team.group.label}`}
      className="mt-3 grid gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'update_group',
          group: team.group.key!,
          label: x.label.trim(),
          description: x.description.trim(),
          ...(x.owner !== start.owner && { owner: x.owner }),
        }
        sheet.add({ verb: t`Edit`, what: t`the team ${team.group.label}`, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      <label>
        <Trans>Name</Trans>
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>What it is for</Trans>
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <div>
        <Trans>
          Owner <span className="text-soft text-sm">who manages it, from then on</span>
          <UserBox label={t`Owner`} value={x.owner} onChange={(owner) => setX({ ...x, owner })} />
        </Trans>
      </div>
      <button type="submit" className="button justify-self-start" disabled={!x.label.trim()}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
