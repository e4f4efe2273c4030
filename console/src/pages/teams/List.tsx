import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../../api/ask'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { keyOf } from '../../shared/key'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { useDay } from '../../shell/day'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'

type Team = Schemas['Team']

const state = (t: Team) => (t.closed ? 'closed' : t.rests ? 'rests' : 'open')

const columns: ListColumn<Team>[] = [
  {
    key: 'team',
    label: 'Team',
    value: (t) => t.group.label,
    show: (t) => (
      <>
        <Link to="/teams/$team" params={{ team: t.group.key! }} className="press">
          {t.group.label}
        </Link>{' '}
        <span className="text-soft font-mono text-sm">{t.group.key}</span>
        {t.description && <div className="text-soft text-sm">{t.description}</div>}
      </>
    ),
  },
  { key: 'rule', label: 'Rule', value: (t) => t.team_rule.label, choose: true },
  { key: 'owner', label: 'Owner', value: (t) => (t.mine ? 'you' : (t.owner?.label ?? 'nobody')) },
  { key: 'members', label: 'Members', value: (t) => t.member_count ?? '' },
  {
    key: 'state',
    label: 'State',
    value: state,
    choose: true,
    show: (t) => (
      <>
        {state(t)}
        {t.rests && <span className="text-brick block text-sm">{t.rests}</span>}
      </>
    ),
  },
]

/** The teams that one manages, is in, or may read. */
export function TeamList() {
  const { asOf, past } = useDay()
  const teams = useQuery(ask('/api/v1/teams', { params: { query: { as_of: asOf } } }))
  const rules = useQuery(ask('/api/v1/team-rules'))
  if (teams.error) return <Trouble page error={teams.error} retry={() => void teams.refetch()} />
  if (!teams.data) return <Loading what="the teams" />
  const open = (rules.data?.rules ?? []).filter((r) => r.may_open)
  return (
    <>
      <Title
        list="teams"
        query={{ as_of: asOf }}
        more={
          !past &&
          open.length > 0 && (
            <AddPanel label="Open a team">{(done) => <OpenTeam rules={open} revision={teams.data.revision} done={done} />}</AddPanel>
          )
        }
      >
        Teams
      </Title>
      <p className="text-soft mt-1 max-w-180">A team is a group whose owner says who is in it and which of its roles it has.</p>
      {teams.data.teams.length === 0 && (
        <Empty>{open.length > 0 ? 'You are in no team. Open one here.' : 'You are in no team, and no rule lets you open one.'}</Empty>
      )}
      {teams.data.teams.length > 0 && <ListTable what="team" rows={teams.data.teams} columns={columns} id={(t) => t.group.id!} />}
    </>
  )
}

function OpenTeam({ rules, revision, done }: { rules: Schemas['TeamRule'][]; revision: number; done: () => void }) {
  const sheet = useSheet()
  const start = { rule: rules[0]!.key, label: '', description: '' }
  const [x, setX] = useTyped('Open a team', start)
  const key = keyOf(x.label)
  return (
    <form
      aria-label="Open a team"
      className="mt-3 grid gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: 'Open',
            what: `the team ${x.label.trim()}`,
            operations: [{ op: 'open_team', team_rule: x.rule, key, label: x.label.trim(), description: x.description.trim() }],
          },
          revision,
        )
        setX(start)
        done()
      }}
    >
      <label>
        Rule
        <select className="field" value={x.rule} onChange={(e) => setX({ ...x, rule: e.target.value })}>
          {rules.map((r) => (
            <option key={r.key} value={r.key}>
              {r.label}
            </option>
          ))}
        </select>
      </label>
      <label>
        Name
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        {key && <span className="text-soft text-sm">Its key is {key}.</span>}
      </label>
      <label>
        What it is for
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <button type="submit" className="button justify-self-start" disabled={!key}>
        Add to change sheet
      </button>
    </form>
  )
}
