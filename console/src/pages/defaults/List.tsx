import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { describe, NewcomerForm } from '../../shared/Newcomer'
import { FilterWords } from '../../shared/FilterWords'
import { EndPicked } from '../../shared/EndPicked'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Path } from '../../shared/Path'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { list, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { ask } from '../../api/ask'
import { limitWords, RuleForm } from './RuleForm'

const route = getRouteApi('/shell/defaults')

const columnsOf = (revision: number, writes: boolean): ListColumn<Schemas['Default']>[] => [
  {
    key: 'name',
    label: t`Rule`,
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
    label: t`For whom`,
    value: (d) => (d.everybody ? t`Everybody` : (d.filter_words ?? '')),
    show: (d) => (d.everybody ? t`Everybody` : <FilterWords first words={d.filter_words} filter={d.filter ?? ''} />),
  },
  {
    key: 'gives',
    label: t`Gives`,
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
            <Trans>
              a place in{' '}
              <Link to="/groups/$group" params={{ group: g.key ?? '' }} className="press">
                {g.label}
              </Link>
            </Trans>
          </li>
        ))}
        {limitWords(d).map((w) => (
          <li key={w} className="text-soft text-sm">
            {w}
          </li>
        ))}
      </ul>
    ),
  },
  { key: 'order', label: t`Order`, value: (d) => d.order, right: true },
  { key: 'owner', label: t`Owner`, value: (d) => d.owner?.label ?? '', choose: true },
  { key: 'users', label: t`Users now`, value: (d) => d.user_count, right: true },
  { key: 'state', label: t`State`, value: (d) => (d.ended ? t`ended` : t`in force`), choose: true },
  {
    key: 'edit',
    label: t`Edit`,
    value: () => '',
    show: (d) =>
      writes &&
      !d.ended && (
        <AddPanel press label={t`Edit ${d.label}`} name={`edit-${d.key}`}>
          {(done) => <RuleForm rule={d} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
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
  if (!rules.data) return <Loading what={t`the default rules`} />
  const inForce = rules.data.defaults.filter((d) => !d.ended)
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title
        list="defaults"
        query={{ as_of: asOf }}
        more={
          writes && <AddPanel label={t`Write a default rule`}>{(done) => <RuleForm revision={rules.data.revision} done={done} />}</AddPanel>
        }
      >
        <Trans>Defaults</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>
          {plural(inForce.length, { one: '# rule', other: '# rules' })} in force. A user gets what a rule gives as soon as the rule matches,
          and loses it when the rule no longer matches.
        </Trans>
      </p>
      {rules.data.defaults.length === 0 && (
        <Empty>
          <Trans>
            No default rule yet. A default rule gives roles and groups to everybody, or to users with certain attributes, so that new users
            have their access on their first day.
          </Trans>
        </Empty>
      )}
      {rules.data.defaults.length > 0 && (
        <ListTable
          what={t`rule`}
          rows={rules.data.defaults}
          columns={columnsOf(rules.data.revision, !!writes)}
          id={(d) => d.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((d) => !d.ended)
                  return (
                    <EndPicked
                      what={t`default rule`}
                      standing={standing}
                      operations={standing.map((d) => ({ op: 'end_default', default: d.key }))}
                      detail={t`what they gave is removed`}
                      revision={rules.data.revision}
                      clear={clear}
                    />
                  )
                }
              : undefined
          }
        />
      )}
      <h2 className="mt-7">
        <Trans>New-user preview</Trans>
      </h2>
      <p className="text-soft">
        <Trans>What a new user would have, and why.</Trans>
      </p>
      <NewcomerForm key={newcomer} now={search} set={(x) => void navigate({ search: (s) => ({ ...s, ...x }) })} />
      {newcomer && <NewUserPreview newcomer={newcomer} asOf={asOf} />}
    </>
  )
}

function NewUserPreview({ newcomer, asOf }: { newcomer: string; asOf?: string }) {
  const day = useQuery(ask('/api/v1/new-user-preview', { params: { query: { would_be: newcomer, as_of: asOf } } }))
  if (day.error) return <Trouble error={day.error} retry={() => void day.refetch()} />
  if (!day.data) return <Loading what={t`the first day`} />
  const applications = [...new Set(day.data.lines.map((l) => l.application.label))]
  return (
    <section aria-label={t`What a new user would have`} className="mt-3">
      <p>
        <Trans>
          {day.data.rules.length === 0
            ? t`No default rule matches such a user.`
            : t`Chosen by ${list(day.data.rules.map((r) => r.label))}.`}{' '}
          {plural(day.data.roles.length, { one: '# role', other: '# roles' })}, with access in{' '}
          {plural(applications.length, { one: '# application', other: '# applications' })}.
        </Trans>
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
      <h3 className="mt-4 font-semibold">
        <Trans>Can do</Trans>
      </h3>
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
  if (rule) return t`by the default rule ${rule.default!.label}`
  const group = path.steps.find((s) => s.kind === 'group')
  return group ? t`through the group ${group.label}` : t`directly`
}
