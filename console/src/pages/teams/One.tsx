import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { ask } from '../../api/ask'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { Empty, Loading, Trouble } from '../../shared/State'
import { UserBox } from '../../shared/UserBox'
import { count, dayOf } from '../../shared/words'
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
  const manages = team.mine ? 'you manage it' : team.owner ? `${team.owner.label} manages it` : 'nobody manages it'
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
              <AddPanel label="Edit">{(done) => <Edit team={team} revision={revision} done={done} />}</AddPanel>
            )}
            {team.may.includes('close') && (
              <button
                type="button"
                className="button-quiet"
                onClick={() => add('Close', `the team ${team.group.label}`, { op: 'close_team', group: team.group.key! })}
              >
                Close the team
              </button>
            )}
          </div>
        )}
      </div>
      <p className="text-soft mt-1.5">
        {team.description} A team of {team.team_rule.label}; {manages}.
      </p>
      {team.closed && <p className="border-brass mt-3 border-l-3 pl-3">It was closed: nobody is in it, and it holds no role.</p>}
      {team.rests && <p className="border-brass mt-3 border-l-3 pl-3">{team.rests}</p>}
      {team.member_count === undefined && !team.closed && <Empty>You are in it. Who else is in it, its owner knows.</Empty>}
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
          {count(team.member_count!, 'member')} <span className="text-soft font-normal">of at most {team.max_members}</span>
        </h2>
        {team.may.includes('invite') && (
          <AddPanel label="Invite somebody" press="Invite somebody">
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
                    aria-label={`Remove ${m.user.label}`}
                    onClick={() =>
                      add('Remove', `${m.user.label} from ${team.group.label}`, { op: 'remove_member', group, user: m.user.key! })
                    }
                  >
                    Remove
                  </button>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {edits && (
        <form
          aria-label="Add somebody"
          className="mt-3 flex items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            add('Add', `${user.name || user.key} to ${team.group.label}`, { op: 'add_member', group, user: user.key })
            setUser({ key: '', name: '' })
          }}
        >
          <div className="grow">
            User to add
            <UserBox label="User to add" value={user.key} onChange={(key, name) => setUser({ key, name })} />
          </div>
          <button type="submit" className="button-quiet" disabled={!user.key}>
            Add to change sheet
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
      <h2 id="team-roles">Roles</h2>
      <table className="register mt-2">
        <tbody>
          {team.roles.map((r) => (
            <tr key={r.assignment ?? r.role.id}>
              <td>
                {r.role.label} <span className="text-soft font-mono text-sm">{r.role.key}</span>
              </td>
              <td className={r.assignment ? '' : 'text-soft'}>{r.assignment ? 'its members hold it' : 'not given'}</td>
              <td className="text-right">
                {team.may.includes('roles') && r.chosen && (
                  <button
                    type="button"
                    className="press"
                    aria-label={`${r.assignment ? 'Remove' : 'Give'} ${r.role.label}`}
                    onClick={() =>
                      r.assignment
                        ? add('Revoke', `${r.role.label} from ${team.group.label}`, { op: 'revoke', assignment: r.assignment })
                        : add('Grant', `${r.role.label} to ${team.group.label}`, { op: 'grant', group, role: r.role.key! })
                    }
                  >
                    {r.assignment ? 'Remove' : 'Give'}
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
  const reports = g.sponsor ? ` They report to ${g.sponsor.label}.` : ''
  const company = g.company ? ` They work for ${g.company}.` : ''
  return (
    <form
      aria-label="Invite somebody"
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
            verb: 'Invite',
            what: `${x.name.trim()} into ${team.group.label}`,
            operations: [newcomer, { op: 'add_member', group: team.group.key!, user }],
          },
          revision,
        )
        setX(start)
        done()
      }}
    >
      <p className="text-soft">
        A link is mailed by which they choose a password.{company}
        {g.days ? ` Their last day is ${count(g.days, 'day')} from today.` : ''}
        {reports}
      </p>
      <label>
        Their name
        <input className="field" value={x.name} onChange={(e) => setX({ ...x, name: e.target.value })} />
      </label>
      <label>
        E-mail address <span className="text-soft text-sm">their user name too</span>
        <input className="field" type="email" value={x.email} onChange={(e) => setX({ ...x, email: e.target.value })} />
      </label>
      <button type="submit" className="button justify-self-start" disabled={!x.name.trim() || !x.email.includes('@')}>
        Add to change sheet
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
      aria-label={`Edit ${team.group.label}`}
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
        sheet.add({ verb: 'Edit', what: `the team ${team.group.label}`, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      <label>
        Name
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        What it is for
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <div>
        Owner <span className="text-soft text-sm">who manages it, from then on</span>
        <UserBox label="Owner" value={x.owner} onChange={(owner) => setX({ ...x, owner })} />
      </div>
      <button type="submit" className="button justify-self-start" disabled={!x.label.trim()}>
        Add to change sheet
      </button>
    </form>
  )
}
