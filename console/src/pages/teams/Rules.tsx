import { useQuery } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { EndPicked } from '../../shared/EndPicked'
import { FilterWords } from '../../shared/FilterWords'
import { keyOf } from '../../shared/key'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { NewcomerFields } from '../../shared/NewcomerFields'
import { type Choice } from '../../shared/PickBox'
import { Picks } from '../../shared/Picks'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count, unitWords } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useTyped } from '../../shell/drafts'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useRoleChoices } from '../users/choices'

type Rule = Schemas['TeamRule']

/** What the owner of a team may do by a rule, in a few words each. */
function allows(r: Rule): string[] {
  const out = [r.people ? `adds people in ${unitWords(r.people)}` : 'adds people whom they may see']
  if (r.guests) {
    const who = [r.guests.unit && `in ${unitWords(r.guests.unit)}`, r.guests.company && `of ${r.guests.company}`].filter(Boolean).join(', ')
    out.push(`invites people ${who}${r.guests.days ? `, for ${count(r.guests.days, 'day')}` : ''}`)
  }
  out.push(r.roles.length > 0 ? `gives ${r.roles.map((x) => x.label).join(', ')}` : 'gives no role')
  return out
}

const columnsOf = (revision: number, writes: boolean): ListColumn<Rule>[] => [
  {
    key: 'label',
    label: 'Rule',
    value: (r) => r.label,
    show: (r) => (
      <>
        <strong className={r.ended ? 'text-soft' : ''}>{r.label}</strong> <span className="text-soft font-mono text-sm">{r.key}</span>
        {r.description && <div className="text-soft text-sm">{r.description}</div>}
      </>
    ),
  },
  {
    key: 'who',
    label: 'Teams are opened by',
    value: (r) => r.filter_words ?? '',
    show: (r) => (r.filter ? <FilterWords words={r.filter_words} filter={r.filter} /> : 'you'),
  },
  {
    key: 'allows',
    label: 'The owner of a team',
    value: (r) => allows(r).join('; '),
    show: (r) => (
      <ul>
        {allows(r).map((w) => (
          <li key={w}>{w}</li>
        ))}
        <li className="text-soft">{count(r.max_members, 'member')} at most</li>
      </ul>
    ),
  },
  { key: 'teams', label: 'Teams', value: (r) => r.teams },
  { key: 'state', label: 'State', value: (r) => (r.ended ? 'ended' : 'in use'), choose: true },
  {
    key: 'edit',
    label: 'Edit',
    value: () => '',
    show: (r) =>
      writes &&
      !r.ended && (
        <AddPanel press label={`Edit ${r.label}`} name={`edit-${r.key}`}>
          {(done) => <RuleForm rule={r} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
]

/** Who may open teams, and what they may do in them. */
export function TeamRulesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const rules = useQuery(ask('/api/v1/team-rules', { params: { query: { as_of: asOf } } }))
  if (rules.error) return <Trouble page error={rules.error} retry={() => void rules.refetch()} />
  if (!rules.data) return <Loading what="the team rules" />
  const { revision, rules: all } = rules.data
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="team-rules"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label="Add a rule">{(done) => <RuleForm revision={revision} done={done} />}</AddPanel>}
      >
        Team rules
      </Title>
      <p className="text-soft mt-1 max-w-180">
        Whom a rule chooses may open teams: groups that they manage themselves, within what the rule says. Nothing else is given by it.
      </p>
      {all.length === 0 && <Empty>Nobody may open a team.</Empty>}
      {all.length > 0 && (
        <ListTable
          what="team rule"
          rows={all}
          columns={columnsOf(revision, writes)}
          id={(r) => r.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((r) => !r.ended)
                  return (
                    <EndPicked
                      what="team rule"
                      standing={standing}
                      operations={standing.map((r) => ({ op: 'end_team_rule', team_rule: r.key }))}
                      detail="Teams stay as they are; their owners manage them no more."
                      revision={revision}
                      clear={clear}
                    />
                  )
                }
              : undefined
          }
        />
      )}
    </>
  )
}

function RuleForm({ rule: r, revision, done }: { rule?: Rule; revision: number; done: () => void }) {
  const sheet = useSheet()
  const roleChoices = useRoleChoices()
  const start = {
    label: r?.label ?? '',
    description: r?.description ?? '',
    filter: r?.filter ?? '',
    people: r?.people ?? '',
    invites: !!r?.guests,
    unit: r?.guests?.unit ?? '',
    employment: r?.guests?.employment_type ?? '',
    company: r?.guests?.company ?? '',
    sponsor: r?.guests?.sponsor?.key ?? '',
    days: String(r?.guests?.days ?? 0),
    most: String(r?.max_members ?? 50),
  }
  const [x, setX] = useTyped(`Team rule ${r?.key ?? ''}`, start)
  const given = (r?.roles ?? []).map((role) => ({ key: role.key ?? '', label: role.label }))
  const [roles, setRoles] = useTyped<Choice[]>(`Team rule roles ${r?.key ?? ''}`, given)
  const key = r?.key ?? keyOf(x.label)
  const field = (name: 'label' | 'description' | 'filter' | 'people', label: string, hint: string) => (
    <label>
      {label}
      <input className="field" placeholder={hint} value={x[name]} onChange={(e) => setX({ ...x, [name]: e.target.value })} />
    </label>
  )
  return (
    <form
      aria-label={r ? `Edit ${r.label}` : 'Add a rule'}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_team_rule',
          key,
          label: x.label.trim(),
          description: x.description.trim(),
          filter: x.filter.trim(),
          roles: roles.map((c) => c.key),
          people: x.people.trim(),
          invites: x.invites,
          max_members: Number(x.most),
          ...(x.invites && {
            guest_unit: x.unit.trim(),
            guest_employment_type: x.employment.trim(),
            guest_company: x.company.trim(),
            guest_sponsor: x.sponsor,
            guest_days: Number(x.days),
          }),
        }
        sheet.add({ verb: 'Set', what: `the team rule ${x.label.trim()}`, operations: [operation] }, revision)
        setX(start)
        setRoles(given)
        done()
      }}
    >
      {field('label', 'Name of such teams', 'Project teams')}
      {field('description', 'What they are for', '')}
      <div className="sm:col-span-2">{field('filter', 'Filter: who may open one', 'within eq "engineering"')}</div>
      <div className="sm:col-span-2">
        <Picks title="Roles that a team may be given" label="A role" choices={roleChoices} picked={roles} pick={setRoles} />
      </div>
      {field('people', 'Unit whose people may be added', 'engineering')}
      <label>
        So many members at most
        <input type="number" min={1} className="field" value={x.most} onChange={(e) => setX({ ...x, most: e.target.value })} />
      </label>
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.invites} onChange={(e) => setX({ ...x, invites: e.target.checked })} />
        Its owner may invite people who have no account yet
      </label>
      {x.invites && <NewcomerFields whom="whom they invite" value={x} change={(n) => setX({ ...x, ...n })} />}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!x.label.trim() || !x.filter.trim()}>
        Add to change sheet
      </button>
    </form>
  )
}
