import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { describe, NewcomerForm } from '../shared/Newcomer'
import { FilterWords } from '../shared/FilterWords'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { keyOf } from '../shared/key'
import { Path } from '../shared/Path'
import { PathText } from '../shared/PathText'
import { Picks } from '../shared/Picks'
import { type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, list, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { useGroupChoices, useRoleChoices } from './users/choices'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

const route = getRouteApi('/shell/defaults')

const columns: ListColumn<Schemas['Default']>[] = [
  {
    key: 'name',
    label: 'Rule',
    value: (d) => d.label,
    show: (d) => (
      <>
        <strong className={d.ended ? 'text-soft' : ''}>{d.label}</strong> <span className="text-soft font-mono text-sm">{d.key}</span>
        {d.description && <div>{d.description}</div>}
        {d.given?.reason && (
          <div className="text-soft text-sm">
            {d.given.by ? `${d.given.by.label}, ` : ''}
            {shortDay(d.since)}: {d.given.reason}
          </div>
        )}
      </>
    ),
  },
  {
    key: 'whom',
    label: 'For whom',
    value: (d) => (d.everybody ? 'Everybody' : (d.filter_words ?? '')),
    show: (d) => (d.everybody ? 'Everybody' : <FilterWords first words={d.filter_words} filter={d.filter ?? ''} />),
  },
  {
    key: 'gives',
    label: 'Gives',
    value: (d) => list([...d.roles, ...d.groups].map((x) => x.label)),
    show: (d) => (
      <ul>
        {d.roles.map((r) => (
          <li key={r.id ?? r.label}>
            <Link to="/roles/$role" params={{ role: r.key ?? '' }} className="press">
              {r.label}
            </Link>
          </li>
        ))}
        {d.groups.map((g) => (
          <li key={g.id ?? g.label}>
            a place in{' '}
            <Link to="/groups/$group" params={{ group: g.key ?? '' }} className="press">
              {g.label}
            </Link>
          </li>
        ))}
      </ul>
    ),
  },
  { key: 'users', label: 'Users now', value: (d) => d.user_count, right: true },
  { key: 'state', label: 'State', value: (d) => (d.ended ? 'ended' : 'in force'), choose: true },
]

/** The default rules, what they give to somebody new, and a new rule. */
export function DefaultsPage() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
  const rules = useQuery(ask('/api/v1/defaults', { params: { query: { as_of: asOf } } }))
  const newcomer = describe(search)
  if (rules.error) return <Trouble page error={rules.error} retry={() => void rules.refetch()} />
  if (!rules.data) return <Loading what="the default rules" />
  const inForce = rules.data.defaults.filter((d) => !d.ended)
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title
        list="defaults"
        query={{ as_of: asOf }}
        more={
          writes && <AddPanel label="Write a default rule">{(done) => <NewRule revision={rules.data.revision} done={done} />}</AddPanel>
        }
      >
        Defaults
      </Title>
      <p className="text-soft mt-1">
        {count(inForce.length, 'rule')} in force. A user gets what a rule gives as soon as the rule matches, and loses it when the rule no
        longer matches.
      </p>
      {rules.data.defaults.length === 0 && (
        <Empty>
          No default rule yet. A default rule gives roles and groups to everybody, or to users with certain attributes, so that new users
          have their access on their first day.
        </Empty>
      )}
      {rules.data.defaults.length > 0 && (
        <ListTable
          what="rule"
          rows={rules.data.defaults}
          columns={columns}
          id={(d) => d.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((d) => !d.ended)
                  return (
                    <EndPicked
                      what="default rule"
                      standing={standing}
                      operations={standing.map((d) => ({ op: 'end_default', default: d.key }))}
                      detail="what they gave is removed"
                      revision={rules.data.revision}
                      clear={clear}
                    />
                  )
                }
              : undefined
          }
        />
      )}
      <h2 className="mt-7">New-user preview</h2>
      <p className="text-soft">What a new user would have, and why.</p>
      <NewcomerForm key={newcomer} now={search} set={(x) => void navigate({ search: (s) => ({ ...s, ...x }) })} />
      {newcomer && <NewUserPreview newcomer={newcomer} asOf={asOf} />}
    </>
  )
}

function NewUserPreview({ newcomer, asOf }: { newcomer: string; asOf?: string }) {
  const day = useQuery(ask('/api/v1/new-user-preview', { params: { query: { would_be: newcomer, as_of: asOf } } }))
  if (day.error) return <Trouble error={day.error} retry={() => void day.refetch()} />
  if (!day.data) return <Loading what="the first day" />
  const applications = [...new Set(day.data.lines.map((l) => l.application.label))]
  return (
    <section aria-label="What a new user would have" className="mt-3">
      <p>
        {day.data.rules.length === 0 ? 'No default rule matches such a user.' : `Chosen by ${list(day.data.rules.map((r) => r.label))}.`}{' '}
        {count(day.data.roles.length, 'role')}, with access in {count(applications.length, 'application')}.
      </p>
      {day.data.roles.map((r) => (
        <details key={r.role.id ?? r.role.label} className="border-rule border-b py-1.5">
          <summary>
            <strong>{r.role.label}</strong> <span className="text-soft text-sm">{because(r.path)}</span>
          </summary>
          <div className="my-2">
            <Path path={r.path} />
          </div>
        </details>
      ))}
      <h3 className="mt-4 font-semibold">Can do</h3>
      <ul className="columns-2 gap-x-6">
        {day.data.lines.map((l, i) => (
          <li key={i} className="break-inside-avoid py-0.5">
            {l.application.label}: {list(l.actions)} <PathText path={l.pattern} />
          </li>
        ))}
      </ul>
    </section>
  )
}

/** Why a role would be held, in a few words. */
function because(path: Schemas['Path']): string {
  const rule = path.steps.find((s) => s.default)
  if (rule) return `by the default rule ${rule.default!.label}`
  const group = path.steps.find((s) => s.kind === 'group')
  return group ? `through the group ${group.label}` : 'directly'
}

function NewRule({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const roleChoices = useRoleChoices()
  const groupChoices = useGroupChoices()
  const empty = { label: '', key: '', filter: '', everybody: false }
  const [x, setX] = useTyped('NewRule x', empty)
  const [roles, setRoles] = useTyped<Choice[]>('NewRule roles', [])
  const [groups, setGroups] = useTyped<Choice[]>('NewRule groups', [])
  const key = x.key || keyOf(x.label)
  const ready = key !== '' && (x.everybody || x.filter.trim() !== '') && roles.length + groups.length > 0
  return (
    <form
      aria-label="Write a default rule"
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const whom = x.everybody ? { everybody: true } : { filter: x.filter.trim() }
        const operation: Operation = {
          op: 'add_default',
          key,
          label: x.label.trim(),
          ...whom,
          roles: roles.map((r) => r.key),
          groups: groups.map((g) => g.key),
        }
        sheet.add(
          {
            verb: 'Write',
            what: `the rule ${x.label.trim() || key}`,
            detail: [...roles, ...groups].map((c) => c.label).join(', '),
            operations: [operation],
          },
          revision,
        )
        setX(empty)
        setRoles([])
        setGroups([])
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          Name of the rule
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          Key <span className="text-soft text-sm">never reused</span>
          <input className="field font-mono" value={x.key} placeholder={key} onChange={(e) => setX({ ...x, key: e.target.value })} />
        </label>
        <label className="sm:col-span-2">
          For users who match <span className="text-soft text-sm">such as within eq "marine" and employment_type eq "staff"</span>
          <input
            className="field font-mono"
            disabled={x.everybody}
            value={x.everybody ? '' : x.filter}
            onChange={(e) => setX({ ...x, filter: e.target.value })}
          />
        </label>
        <label className="sm:col-span-2 flex gap-2">
          <input type="checkbox" checked={x.everybody} onChange={(e) => setX({ ...x, everybody: e.target.checked })} />
          For everybody
        </label>
        <Picks title="Roles" label="Role it gives" choices={roleChoices} picked={roles} pick={setRoles} />
        <Picks title="Groups" label="Group it adds to" choices={groupChoices} picked={groups} pick={setGroups} />
      </div>
      <button type="submit" className="button mt-3" disabled={!ready}>
        Add to change sheet
      </button>
    </form>
  )
}
