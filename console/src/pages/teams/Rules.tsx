import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
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
import { unitWords } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useTyped } from '../../shell/drafts'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useRoleChoices } from '../users/choices'

type Rule = Schemas['TeamRule']

/** What the owner of a team may do by a rule, in a few words each. */
function allows(r: Rule): string[] {
  const out = [r.people ? t`adds people in ${unitWords(r.people)}` : t`adds people whom they may see`]
  if (r.guests) {
    const who = [r.guests.unit && t`in ${unitWords(r.guests.unit)}`, r.guests.company && t`of ${r.guests.company}`]
      .filter(Boolean)
      .join(', ')
    out.push(t`invites people ${who}${r.guests.days ? t`, for ${plural(r.guests.days, { one: '# day', other: '# days' })}` : ''}`)
  }
  out.push(r.roles.length > 0 ? t`gives ${r.roles.map((x) => x.label).join(', ')}` : t`gives no role`)
  return out
}

const columnsOf = (revision: number, writes: boolean): ListColumn<Rule>[] => [
  {
    key: 'label',
    label: t`Rule`,
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
    label: t`Teams are opened by`,
    value: (r) => r.filter_words ?? '',
    show: (r) => (r.filter ? <FilterWords words={r.filter_words} filter={r.filter} /> : t`you`),
  },
  {
    key: 'allows',
    label: t`The owner of a team`,
    value: (r) => allows(r).join('; '),
    show: (r) => (
      <ul>
        {allows(r).map((w) => (
          <li key={w}>{w}</li>
        ))}
        <li className="text-soft">
          <Trans>{plural(r.max_members, { one: '# member', other: '# members' })} at most</Trans>
        </li>
      </ul>
    ),
  },
  { key: 'teams', label: t`Teams`, value: (r) => r.teams },
  { key: 'state', label: t`State`, value: (r) => (r.ended ? t`ended` : t`in use`), choose: true },
  {
    key: 'edit',
    label: t`Edit`,
    value: () => '',
    show: (r) =>
      writes &&
      !r.ended && (
        <AddPanel press label={t`Edit ${r.label}`} name={`edit-${r.key}`}>
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
  if (!rules.data) return <Loading what={t`the team rules`} />
  const { revision, rules: all } = rules.data
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="team-rules"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Add a rule`}>{(done) => <RuleForm revision={revision} done={done} />}</AddPanel>}
      >
        <Trans>Team rules</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Whom a rule chooses may open teams: groups that they manage themselves, within what the rule says. Nothing else is given by it.
        </Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>Nobody may open a team.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`team rule`}
          rows={all}
          columns={columnsOf(revision, writes)}
          id={(r) => r.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((r) => !r.ended)
                  return (
                    <EndPicked
                      what={t`team rule`}
                      standing={standing}
                      operations={standing.map((r) => ({ op: 'end_team_rule', team_rule: r.key }))}
                      detail={t`Teams stay as they are; their owners manage them no more.`}
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
      aria-label={r ? t`Edit ${r.label}` : t`Add a rule`}
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
        sheet.add({ verb: t`Set`, what: t`the team rule ${x.label.trim()}`, operations: [operation] }, revision)
        setX(start)
        setRoles(given)
        done()
      }}
    >
      {field('label', t`Name of such teams`, t`Project teams`)}
      {field('description', t`What they are for`, '')}
      <div className="sm:col-span-2">{field('filter', t`Filter: who may open one`, t`within eq "engineering"`)}</div>
      <div className="sm:col-span-2">
        <Picks title={t`Roles that a team may be given`} label={t`A role`} choices={roleChoices} picked={roles} pick={setRoles} />
      </div>
      {field('people', t`Unit whose people may be added`, 'engineering')}
      <label>
        <Trans>So many members at most</Trans>
        <input type="number" min={1} className="field" value={x.most} onChange={(e) => setX({ ...x, most: e.target.value })} />
      </label>
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.invites} onChange={(e) => setX({ ...x, invites: e.target.checked })} />
        <Trans>Its owner may invite people who have no account yet</Trans>
      </label>
      {x.invites && <NewcomerFields whom={t`whom they invite`} value={x} change={(n) => setX({ ...x, ...n })} />}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!x.label.trim() || !x.filter.trim()}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
