import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { FilterWords } from '../../shared/FilterWords'
import { PickBox, type Choice } from '../../shared/PickBox'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Tabs } from '../../shared/Tabs'
import { Limits } from '../../shared/Limits'
import { UserBox } from '../../shared/UserBox'
import { shortDay, unitWords, until } from '../../shared/words'
import { RevisionRows } from '../../shared/Revisions'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices } from '../users/choices'
import { GrantRole } from '../users/Give'
import { windowOf } from '../../shared/window'
import { MembersOf } from './Members'
import { ask } from '../../api/ask'
import { useEdited, useTyped } from '../../shell/drafts'

const route = getRouteApi('/shell/groups/$group')

/** One group: who is in it and why, what is listed, what it gives. */
export function OneGroup() {
  const { group: key } = route.useParams()
  const { tab } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
  const group = useQuery(ask('/api/v1/groups/{group}', { params: { path: { group: key }, query: { as_of: asOf } } }))
  if (group.error) return <Trouble page error={group.error} retry={() => void group.refetch()} />
  if (!group.data) return <Loading what={key} />
  const g = group.data
  const changes = !past && me.may['groups.update'] && !g.built_in
  return (
    <>
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h1>{g.label}</h1>
        <span className="text-soft font-mono">{g.key}</span>
      </div>
      <p className="text-soft mt-1.5">
        {g.description} {g.unit && t`Belongs to ${unitWords(g.unit)}.`}{' '}
        {g.held_within && t`Members only within ${unitWords(g.held_within)}.`} {g.owner && t`${g.owner.label} owns it.`}{' '}
        {g.team && (
          <>
            <Trans>It is a</Trans>{' '}
            {me.may['teams.read'] ? (
              <Link to="/teams/$team" params={{ team: g.key }} className="press">
                <Trans>team</Trans>
              </Link>
            ) : (
              t`team`
            )}
            <Trans>, which its owner manages.</Trans>
          </>
        )}
      </p>
      {g.filter && (
        <p className="mt-1">
          <Trans>
            Chosen by a filter: <FilterWords words={g.filter_words} filter={g.filter} />.{' '}
            {plural(g.chosen ?? 0, { one: '# user', other: '# users' })} now.
          </Trans>
        </p>
      )}
      <Tabs
        chosen={tab}
        choose={(tab) => void navigate({ search: (s) => ({ ...s, tab: tab === 'gives' ? undefined : tab }) })}
        tabs={[
          { key: 'roles', label: t`Roles`, count: g.assignments?.length ?? 0, body: <Gives group={g} /> },
          { key: 'members', label: t`Members`, count: g.member_count, body: <Listed group={g} changes={changes} /> },
          { key: 'all-members', label: t`All members`, body: <MembersOf group={g.key} /> },
          ...(changes ? [{ key: 'edit', label: t`Edit`, body: <ChangeGroup key={g.revision} group={g} /> }] : []),
          { key: 'history', label: t`History`, body: <RevisionRows query={{ group: g.key }} /> },
        ]}
      />
    </>
  )
}

function Gives({ group: g }: { group: Schemas['Group'] }) {
  const { now, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  return (
    <>
      {(g.assignments ?? []).length === 0 ? (
        <Empty>
          <Trans>No role. Membership alone gives nothing.</Trans>
        </Empty>
      ) : (
        <ul>
          {g.assignments!.map((a) => (
            <li key={a.id} className="border-rule flex gap-4 border-b px-2 py-2">
              {a.role.key ? (
                <Link to="/roles/$role" params={{ role: a.role.key }} className="press">
                  {a.role.label}
                </Link>
              ) : (
                a.role.label
              )}
              <span className={a.until ? 'text-brass' : 'text-soft'}>
                {until(a.until, now)}
                <Limits assignment={a} />
              </span>
              {!past && me.may['roles.assign'] && (
                <button
                  type="button"
                  className="press ml-auto text-sm"
                  aria-label={t`Revoke ${a.role.label} of the group ${g.label}`}
                  onClick={() =>
                    sheet.add(
                      {
                        verb: t`Revoke`,
                        what: t`${a.role.label} of the group ${g.label}`,
                        operations: [{ op: 'revoke', assignment: a.id }],
                      },
                      g.revision,
                    )
                  }
                >
                  <Trans>Revoke</Trans>
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {!past && me.may['roles.assign'] && g.key !== 'public' && (
        <GrantRole to={{ group: g.key, label: t`the group ${g.label}`, revision: g.revision }} />
      )}
    </>
  )
}

function Listed({ group: g, changes }: { group: Schemas['Group']; changes?: boolean }) {
  const { now } = useDay()
  const sheet = useSheet()
  return (
    <>
      {(g.members ?? []).length === 0 ? (
        <Empty>
          {g.built_in ? t`This group has no listed members.` : t`No listed members. Add users or other groups below, or use a filter.`}
        </Empty>
      ) : (
        <ul className="grid sm:grid-cols-2 gap-x-6">
          {g.members!.map((m) => (
            <li key={m.id} className="border-rule flex gap-2 border-b px-2 py-1.5">
              {m.member_kind === 'user' ? (
                <Link to="/users/$user" params={{ user: m.member.key! }} className="press">
                  {m.member.label}
                </Link>
              ) : (
                <span>
                  <span className="text-soft">
                    <Trans>group </Trans>
                  </span>
                  <Link to="/groups/$group" params={{ group: m.member.key! }} className="press">
                    {m.member.label}
                  </Link>
                </span>
              )}
              <span className="text-brass">
                {m.from && new Date(m.from) > now && t`from ${shortDay(m.from)} `}
                {m.until && until(m.until, now)}
              </span>
              {changes && !m.default && (
                <button
                  type="button"
                  className="press ml-auto text-sm"
                  aria-label={t`Remove ${m.member.label}`}
                  onClick={() =>
                    sheet.add(
                      {
                        verb: t`Remove`,
                        what: t`${m.member.label} from ${g.label}`,
                        operations: [
                          {
                            op: 'remove_member',
                            group: g.key,
                            ...(m.member_kind === 'user' ? { user: m.member.key } : { member_group: m.member.key }),
                          },
                        ],
                      },
                      g.revision,
                    )
                  }
                >
                  <Trans>Remove</Trans>
                </button>
              )}
            </li>
          ))}
        </ul>
      )}
      {changes && <PutIn group={g} />}
    </>
  )
}

/** Puts a user or another group in, for a time or for good. */
function PutIn({ group: g }: { group: Schemas['Group'] }) {
  const sheet = useSheet()
  const zone = useMe().time_zone
  const groups = useGroupChoices()
  const [user, setUser] = useTyped('PutIn user', { key: '', name: '' })
  const [group, setGroup] = useTyped<Choice | null>('PutIn group', null)
  const [days, setDays] = useTyped('PutIn days', { first: '', last: '' })
  const who = user.key ? user.name : (group?.label ?? '')
  return (
    <form
      aria-label={t`Add a member`}
      className="mt-5 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        const member = user.key ? { user: user.key } : { member_group: group!.key }
        const when = [days.first && t`from ${shortDay(days.first)}`, days.last && t`last day ${shortDay(days.last)}`]
          .filter(Boolean)
          .join(', ')
        sheet.add(
          {
            verb: t`Add`,
            what: t`${who} to ${g.label}`,
            detail: when || undefined,
            operations: [{ op: 'add_member', group: g.key, ...member, ...windowOf(days, zone) }],
          },
          g.revision,
        )
        setUser({ key: '', name: '' })
        setGroup(null)
      }}
    >
      <h2>
        <Trans>Add a member</Trans>
      </h2>
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <div>
          <span aria-hidden>
            <Trans>A user</Trans>
          </span>
          <UserBox key={user.key} label={t`User to add`} value={user.key} onChange={(key, name) => setUser({ key, name })} />
        </div>
        <div>
          <span aria-hidden>
            <Trans>or a group</Trans>
          </span>
          <PickBox label={t`Group to add`} choices={groups.filter((c) => c.key !== g.key)} value={group} onChange={setGroup} />
        </div>
        <label>
          <Trans>First day</Trans>
          <input type="date" className="field" value={days.first} onChange={(e) => setDays({ ...days, first: e.target.value })} />
        </label>
        <label>
          <Trans>Last day</Trans>
          <input type="date" className="field" value={days.last} onChange={(e) => setDays({ ...days, last: e.target.value })} />
        </label>
      </div>
      <button type="submit" className="button-quiet mt-3" disabled={who === '' || (user.key !== '' && group !== null)}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Whether the members of a group alone may sign in. */
function SignInAlone({ group: g }: { group: Schemas['Group'] }) {
  const me = useMe()
  const sheet = useSheet()
  if (!me.may['settings.update']) return null
  const alone = me.sign_in_group?.key === g.key
  return (
    <p className="sm:col-span-2">
      {alone
        ? t`Only members of this group may sign in.`
        : me.sign_in_group
          ? t`Only members of ${me.sign_in_group.label} may sign in.`
          : t`Everybody with a password may sign in.`}{' '}
      <button
        type="button"
        className="press"
        onClick={() =>
          sheet.add(
            {
              verb: t`Let`,
              what: alone ? t`everybody with a password sign in` : t`only ${g.label} sign in`,
              operations: [{ op: 'set_sign_in', group: alone ? '' : g.key }],
            },
            g.revision,
          )
        }
      >
        {alone ? t`Let everybody with a password sign in` : t`Let only its members sign in`}
      </button>
    </p>
  )
}

function ChangeGroup({ group: g }: { group: Schemas['Group'] }) {
  const sheet = useSheet()
  const before = {
    label: g.label,
    description: g.description ?? '',
    unit: g.unit ?? '',
    filter: g.filter ?? '',
    held_within: g.held_within ?? '',
    owner: g.owner?.key ?? '',
  }
  const [x, setX] = useEdited('ChangeGroup x', before)
  const changed = (Object.keys(before) as (keyof typeof before)[]).filter((k) => x[k].trim() !== before[k])
  const field = (name: 'label' | 'description' | 'unit' | 'filter' | 'held_within', label: string) => (
    <label>
      {label}
      <input
        className={`field ${name === 'filter' ? 'font-mono text-sm' : ''}`}
        value={x[name]}
        onChange={(e) => setX({ ...x, [name]: e.target.value })}
      />
    </label>
  )
  return (
    <form
      aria-label={t`Change ${g.label}`}
      className="mt-2 grid max-w-180 sm:grid-cols-2 gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        const given = Object.fromEntries(changed.map((k) => [k, x[k].trim()]))
        sheet.add(
          {
            verb: t`Change`,
            what: t`the group ${g.label}`,
            detail: changed.map((k) => `${k}: ${x[k].trim() || t`none`}`).join('; '),
            operations: [{ op: 'update_group', group: g.key, ...given }],
          },
          g.revision,
        )
      }}
    >
      <SignInAlone group={g} />
      {field('label', t`Name`)}
      {field('description', t`What it is for`)}
      {field('unit', t`Unit it belongs to`)}
      {field('held_within', t`Members only within the unit`)}
      <div>
        <span aria-hidden>
          <Trans>Owner</Trans>
        </span>
        <UserBox label={t`Owner`} value={x.owner} onChange={(key) => setX({ ...x, owner: key })} />
      </div>
      <div className="sm:col-span-2">{field('filter', t`Chosen by a filter over facts`)}</div>
      <div>
        <button type="submit" className="button" disabled={changed.length === 0 || x.label.trim() === ''}>
          <Trans>Add to change sheet</Trans>
        </button>
      </div>
    </form>
  )
}
