import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useMemo } from 'react'
import readyMade from '../../../docs/examples/ready-made-roles.yaml?raw'
import { answer, api, type Operation, type Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { PickBox, type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { UserBox } from '../shared/UserBox'
import { windowOf } from '../shared/window'
import { list, shortDay, until } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { useGroupChoices } from './users/choices'
import { TryDelegation } from './TryDelegation'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

type Delegation = Schemas['Delegation']

const holder = ({ assignment: a }: Delegation) => (a.assignee_kind === 'group' ? t`The group ${a.assignee.label}` : a.assignee.label)

const columnsOn = (now: Date): ListColumn<Delegation>[] => [
  {
    key: 'who',
    label: t`Delegate`,
    value: holder,
    show: (h) => {
      const a = h.assignment
      if (!a.assignee.key) return holder(h)
      return (
        <Link
          {...(a.assignee_kind === 'group'
            ? { to: '/groups/$group', params: { group: a.assignee.key } }
            : { to: '/users/$user', params: { user: a.assignee.key } })}
          className="press"
        >
          {holder(h)}
        </Link>
      )
    },
  },
  { key: 'role', label: t`Role`, value: (h) => h.assignment.role.label, choose: true },
  {
    key: 'what',
    label: t`What`,
    value: (h) => h.words.join('; '),
    show: (h) => (
      <ul>
        {h.words.map((w) => (
          <li key={w}>{w}</li>
        ))}
      </ul>
    ),
  },
  {
    key: 'until',
    label: t`Until`,
    value: (h) => h.assignment.until ?? '',
    show: (h) => until(h.assignment.until, now),
    className: 'whitespace-nowrap',
  },
  {
    key: 'given',
    label: t`Given by`,
    value: (h) => h.assignment.given?.reason ?? '',
    show: ({ assignment: a }) => (
      <span className="text-soft text-sm">
        {a.given?.reason && `${a.given.by?.label ?? t`The host`}, ${shortDay(a.given.at)}: ${a.given.reason}`}
      </span>
    ),
  },
]

/** Delegated administration: who may administer what, in plain words. */
export function DelegationsPage() {
  const { asOf, past } = useDay()
  const columns = useMemo(() => columnsOn(asOf ? new Date(asOf) : new Date()), [asOf])
  const me = useMe()
  const sheet = useSheet()
  const all = useQuery(ask('/api/v1/delegations', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what={t`who does what here`} />
  const { delegations, roles, revision } = all.data
  const gives = !past && me.may['roles.assign']
  return (
    <>
      <Title
        list="delegations"
        query={{ as_of: asOf }}
        more={
          gives && (
            <AddPanel label={t`Add a delegation`}>{(done) => <DelegationForm roles={roles} revision={revision} done={done} />}</AddPanel>
          )
        }
      >
        <Trans>Delegated administration</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          {plural(delegations.length, { one: '# delegation', other: '# delegations' })}. A delegate administers that part here, and sees
          nothing else. Nobody can delegate more than they hold.
        </Trans>
      </p>
      {delegations.length === 0 && (
        <Empty>
          <Trans>There is no delegation, or none that you may see.</Trans>
        </Empty>
      )}
      {delegations.length > 0 && (
        <ListTable
          what={t`delegation`}
          rows={delegations}
          columns={columns}
          id={(h) => h.assignment.id}
          acts={
            gives
              ? (picked, clear) => (
                  <button
                    type="button"
                    className="button-quiet"
                    onClick={() => {
                      sheet.add(
                        {
                          verb: t`Revoke`,
                          what:
                            picked.length === 1
                              ? t`${picked[0]!.assignment.role.label} of ${holder(picked[0]!)}`
                              : plural(picked.length, { one: '# delegation', other: '# delegations' }),
                          detail: picked.length > 1 ? list(picked.map(holder)) : undefined,
                          operations: picked.map((h) => ({ op: 'revoke', assignment: h.assignment.id })),
                        },
                        revision,
                      )
                      clear()
                    }}
                  >
                    <Trans>Revoke</Trans>
                  </button>
                )
              : undefined
          }
        />
      )}
      {gives && me.may['roles.create'] && <ReadyMade roles={roles} />}
    </>
  )
}

const risks = ['low', 'medium', 'high'] as const

/** Adds a delegation to the change sheet: a role within scopes, in the words of who
 * and what it is about. */
function DelegationForm({ roles, revision, done }: { roles: Schemas['DelegationRole'][]; revision: number; done: () => void }) {
  const sheet = useSheet()
  const zone = useMe().time_zone
  const groups = useGroupChoices()
  const applications = useQuery(ask('/api/v1/applications'))
  const allRoles = useQuery(ask('/api/v1/roles'))
  const [user, setUser] = useTyped('DelegationForm user', { key: '', name: '' })
  const [group, setGroup] = useTyped<Choice | null>('DelegationForm group', null)
  const [role, setRole] = useTyped('DelegationForm role', '')
  const [units, setUnits] = useTyped('DelegationForm units', '')
  const [apps, setApps] = useTyped<string[]>('DelegationForm apps', [])
  const [risk, setRisk] = useTyped('DelegationForm risk', '')
  const [last, setLast] = useTyped('DelegationForm last', '')
  const chosen = roles.find((r) => r.role.key === role)
  const places = units
    .split(/[\n,]/)
    .map((u) => u.trim().replace(/^\/+|\/+$/g, ''))
    .filter(Boolean)
  const named = list(apps.map((k) => applications.data?.applications.find((a) => a.key === k)?.label ?? k))
  const upTo = risk === '' ? undefined : risks.slice(0, risks.indexOf(risk as (typeof risks)[number]) + 1)
  const given = (allRoles.data?.roles ?? []).filter(
    (r) => !r.retired && r.application && apps.includes(r.application.key!) && upTo && r.risk && upTo.includes(r.risk),
  )
  const scopes = [
    ...places.flatMap((u) => [`users/${u}`, `groups/${u}`]),
    ...apps.map((a) => `applications/${a}`),
    ...(upTo ? given.map((r) => `roles/${r.key}`) : apps.map((a) => `roles/${a}`)),
  ]
  const operation: Operation = {
    op: 'grant',
    role,
    ...(user.key ? { user: user.key } : { group: group?.key ?? '' }),
    scopes: scopes.map((pattern) => ({ application: 'able-roster', pattern })),
    ...windowOf({ first: '', last }, zone),
  }
  const holder = user.key ? user.name : (group?.label ?? '')
  const words = [
    places.length > 0 && t`people and groups in ${list(places)}`,
    apps.length > 0 &&
      (upTo
        ? t`${plural(given.length, { one: '# role', other: '# roles' })} of up to ${risk} risk of ${named}, as they are today`
        : t`the roles of ${named}`),
  ].filter(Boolean) as string[]
  return (
    <form
      aria-label={t`Add a delegation`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          { verb: t`Delegate`, what: t`${chosen?.role.label ?? ''} to ${holder}`, detail: words.join('; '), operations: [operation] },
          revision,
        )
        setUser({ key: '', name: '' })
        setGroup(null)
        setUnits('')
        setApps([])
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <div>
          <span aria-hidden>
            <Trans>To a user</Trans>
          </span>
          <UserBox key={user.key} label={t`To a user`} value={user.key} onChange={(key, name) => setUser({ key, name })} />
        </div>
        <div>
          <span aria-hidden>
            <Trans>or to a group</Trans>
          </span>
          <PickBox label={t`To a group`} choices={groups} value={group} onChange={setGroup} />
        </div>
        <label>
          <Trans>As</Trans>
          <select className="field" value={role} onChange={(e) => setRole(e.target.value)}>
            <option value="">
              <Trans>choose a role</Trans>
            </option>
            {roles.map((r) => (
              <option key={r.role.key} value={r.role.key}>
                {r.role.label}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>
            Last day <span className="text-soft text-sm">none: until it is revoked</span>
          </Trans>
          <input type="date" className="field" value={last} onChange={(e) => setLast(e.target.value)} />
        </label>
        {chosen && (
          <p className="text-soft sm:col-span-2 text-sm">
            {chosen.description}
            <Trans> Without limits: {chosen.words.join('; ')}.</Trans>
          </p>
        )}
        <label>
          <Trans>
            Users in these units <span className="text-soft text-sm">separated by commas, such as terminal/cranes</span>
          </Trans>
          <input className="field" value={units} onChange={(e) => setUnits(e.target.value)} />
        </label>
        <label>
          <Trans>Roles of up to this risk</Trans>
          <select className="field" value={risk} onChange={(e) => setRisk(e.target.value)}>
            <option value="">
              <Trans>any risk</Trans>
            </option>
            {risks.map((r) => (
              <option key={r} value={r}>
                {r}
              </option>
            ))}
          </select>
        </label>
        <fieldset className="sm:col-span-2">
          <legend>
            <Trans>In these applications</Trans>
          </legend>
          <div className="grid grid-cols-3">
            {(applications.data?.applications ?? [])
              .filter((a) => a.key !== 'able-roster' && a.state !== 'retired')
              .map((a) => (
                <label key={a.key} className="flex gap-2">
                  <input
                    type="checkbox"
                    checked={apps.includes(a.key)}
                    onChange={(e) => setApps(e.target.checked ? [...apps, a.key] : apps.filter((k) => k !== a.key))}
                  />
                  {a.label}
                </label>
              ))}
          </div>
        </fieldset>
      </div>
      <p className="mt-2" aria-live="polite">
        {words.length > 0 ? (
          <>
            <Trans>Limited to {list(words)}.</Trans>
          </>
        ) : (
          <span className="text-soft">
            <Trans>Name units or applications. A blank field never means all.</Trans>
          </span>
        )}
      </p>
      {user.key && role && scopes.length > 0 && <TryDelegation delegate={user} operation={operation} />}
      <button
        type="submit"
        className="button mt-3"
        disabled={!role || holder === '' || scopes.length === 0 || (user.key !== '' && group !== null)}
      >
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Adds ready-made delegation roles. */
function ReadyMade({ roles }: { roles: Schemas['DelegationRole'][] }) {
  const client = useQueryClient()
  const add = useMutation({
    mutationFn: () =>
      answer(
        api.POST('/api/v1/roster-file', {
          params: { query: { file: 'ready-made-roles.yaml', reason: t`Ready-made delegation roles` } },
          body: readyMade as never,
          bodySerializer: (b) => b,
          headers: { 'Content-Type': 'application/yaml' },
        }),
      ),
    onSuccess: () => client.invalidateQueries(),
  })
  if (add.isSuccess)
    return (
      <p role="status" className="mt-6">
        <Trans>The ready-made roles were added. Choose one when you add a delegation.</Trans>
      </p>
    )
  if (['application-owner', 'team-manager', 'help-desk'].every((k) => roles.some((r) => r.role.key === k))) return null
  return (
    <section aria-label={t`Ready-made roles`} className="border-rule mt-6 max-w-180 border-t pt-4">
      <p>
        <Trans>
          Ready-made roles for an access administrator, an auditor, an application owner, a team manager and a help desk. They are ordinary
          roles and can be edited. Adding them gives access to nobody.
        </Trans>
      </p>
      <button type="button" className="button-quiet mt-2" disabled={add.isPending} onClick={() => add.mutate()}>
        <Trans>Add the ready-made roles</Trans>
      </button>
      {add.error && <Trouble error={add.error} />}
    </section>
  )
}
