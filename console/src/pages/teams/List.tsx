import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
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

const state = (team: Team) => (team.closed ? 'closed' : team.rests ? 'rests' : 'open')

const columns: ListColumn<Team>[] = [
  {
    key: 'team',
    label: t`Team`,
    value: (team) => team.group.label,
    show: (team) => (
      <>
        <Link to="/teams/$team" params={{ team: team.group.key! }} className="press">
          {team.group.label}
        </Link>{' '}
        <span className="text-soft font-mono text-sm">{team.group.key}</span>
        {team.description && <div className="text-soft text-sm">{team.description}</div>}
      </>
    ),
  },
  { key: 'rule', label: t`Rule`, value: (team) => team.team_rule.label, choose: true },
  { key: 'owner', label: t`Owner`, value: (team) => (team.mine ? t`you` : (team.owner?.label ?? t`nobody`)) },
  { key: 'members', label: t`Members`, value: (team) => team.member_count ?? '' },
  {
    key: 'state',
    label: t`State`,
    value: state,
    choose: true,
    show: (team) => (
      <>
        {state(team)}
        {team.rests && <span className="text-brick block text-sm">{team.rests}</span>}
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
  if (!teams.data) return <Loading what={t`the teams`} />
  const open = (rules.data?.rules ?? []).filter((r) => r.may_open)
  return (
    <>
      <Title
        list="teams"
        query={{ as_of: asOf }}
        more={
          !past &&
          open.length > 0 && (
            <AddPanel label={t`Open a team`}>{(done) => <OpenTeam rules={open} revision={teams.data.revision} done={done} />}</AddPanel>
          )
        }
      >
        <Trans>Teams</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>A team is a group whose owner says who is in it and which of its roles it has.</Trans>
      </p>
      {teams.data.teams.length === 0 && (
        <Empty>{open.length > 0 ? t`You are in no team. Open one here.` : t`You are in no team, and no rule lets you open one.`}</Empty>
      )}
      {teams.data.teams.length > 0 && <ListTable what={t`team`} rows={teams.data.teams} columns={columns} id={(team) => team.group.id!} />}
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
      aria-label={t`Open a team`}
      className="mt-3 grid gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Open`,
            what: t`the team ${x.label.trim()}`,
            operations: [{ op: 'open_team', team_rule: x.rule, key, label: x.label.trim(), description: x.description.trim() }],
          },
          revision,
        )
        setX(start)
        done()
      }}
    >
      <label>
        <Trans>Rule</Trans>
        <select className="field" value={x.rule} onChange={(e) => setX({ ...x, rule: e.target.value })}>
          {rules.map((r) => (
            <option key={r.key} value={r.key}>
              {r.label}
            </option>
          ))}
        </select>
      </label>
      <label>
        <Trans>Name</Trans>
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        {key && (
          <span className="text-soft text-sm">
            <Trans>Its key is {key}.</Trans>
          </span>
        )}
      </label>
      <label>
        <Trans>What it is for</Trans>
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <button type="submit" className="button justify-self-start" disabled={!key}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
