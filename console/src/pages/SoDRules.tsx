import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { keyOf } from '../shared/key'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Mark } from '../shared/Mark'
import { Path } from '../shared/Path'
import { type Choice } from '../shared/PickBox'
import { Picks } from '../shared/Picks'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { lastDay, list, sentence, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { useRoleChoices } from './users/choices'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

const columns: ListColumn<Schemas['SoDRule']>[] = [
  { key: 'name', label: t`SoD rule`, value: (c) => c.label, show: (c) => <strong>{c.label}</strong> },
  { key: 'roles', label: t`Roles nobody combines`, value: (c) => list(c.roles.map((r) => r.label)) },
  {
    key: 'kind',
    label: t`What would break it`,
    value: (c) => (c.ended ? t`ended` : c.prevent ? t`is refused` : t`shows a warning`),
    choose: true,
  },
  {
    key: 'violations',
    label: t`Violations`,
    value: (c) => c.violations.length,
    show: (c) =>
      c.ended ? (
        ''
      ) : c.violations.length > 0 ? (
        <strong className="text-brick">{c.violations.length}</strong>
      ) : (
        <span className="text-kelp">
          <Trans>none</Trans>
        </span>
      ),
    right: true,
  },
]

/** Roles nobody may combine, and who does, with both paths. */
export function SoDRulesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const sodRules = useQuery(ask('/api/v1/sod-rules', { params: { query: { as_of: asOf } } }))
  if (sodRules.error) return <Trouble page error={sodRules.error} retry={() => void sodRules.refetch()} />
  if (!sodRules.data) return <Loading what={t`the SoD rules`} />
  const all = sodRules.data.sod_rules
  const broken = all.reduce((n, c) => n + c.violations.length, 0)
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title
        list="sod-rules"
        query={{ as_of: asOf }}
        more={
          writes && <AddPanel label={t`Add an SoD rule`}>{(done) => <NewSoDRule revision={sodRules.data.revision} done={done} />}</AddPanel>
        }
      >
        <Trans>SoD rules</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>
          {plural(all.filter((c) => !c.ended).length, { one: '# rule', other: '# rules' })} in force, broken by{' '}
          {plural(broken, { one: '# user', other: '# users' })}. A separation-of-duties (SoD) rule names roles that no one user should
          combine.
        </Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>
            No SoD rule yet. A separation-of-duties rule names roles that no one user should combine, such as raising a credit and releasing
            it.
          </Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`rule`}
          rows={all}
          columns={columns}
          id={(c) => c.id}
          detail={(c) => <One sodRule={c} revision={sodRules.data.revision} writes={writes} />}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((c) => !c.ended)
                  return (
                    <EndPicked
                      what={t`SoD rule`}
                      standing={standing}
                      operations={standing.map((c) => ({ op: 'end_sod_rule', sod_rule: c.key }))}
                      revision={sodRules.data.revision}
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

function One({ sodRule: c, revision, writes }: { sodRule: Schemas['SoDRule']; revision: number; writes: boolean | undefined }) {
  const sheet = useSheet()
  return (
    <section aria-label={c.label} className={`border-rule mt-5 border-b pb-3 ${c.ended ? 'text-soft' : ''}`}>
      <div className="flex items-baseline justify-between gap-4">
        <h2>
          {c.label} <span className="text-soft font-mono text-sm font-normal">{c.key}</span>
        </h2>
        {c.ended ? (
          <span>
            <Trans>ended</Trans>
          </span>
        ) : (
          writes && (
            <button
              type="button"
              className="press text-sm"
              onClick={() =>
                sheet.add(
                  { verb: t`End`, what: t`the SoD rule ${c.label}`, operations: [{ op: 'end_sod_rule', sod_rule: c.key }] },
                  revision,
                )
              }
            >
              <Trans>End this SoD rule</Trans>
            </button>
          )
        )}
      </div>
      <p>
        <Trans>No user may hold {list(c.roles.map((r) => r.label))} at the same time. </Trans>
        {c.description && sentence(c.description)}{' '}
        {!c.ended &&
          (c.prevent ? t`Changes that would break this rule are refused.` : t`Changes that would break this rule show a warning.`)}
      </p>
      {c.given?.reason && (
        <p className="text-soft text-sm">
          {c.given.by ? `${c.given.by.label}, ` : ''}
          {shortDay(c.given.at)}: {c.given.reason}
        </p>
      )}
      {!c.ended && c.violations.length === 0 && (
        <p className="text-kelp mt-1">
          <Trans>No violations.</Trans>
        </p>
      )}
      {c.violations.map((b) => (
        <details key={b.user.id ?? b.user.label} className="mt-1">
          <summary>
            <Mark name="warns" /> <strong>{b.user.label}</strong>{' '}
            <span className="text-soft text-sm">
              {b.from ? t`from ${shortDay(b.from)}` : t`holds them now`}
              {b.until && t` until ${lastDay(b.until)}`}
            </span>
          </summary>
          <div className="mt-1.5 mb-3 space-y-2">
            {b.paths.map((p, i) => (
              <Path key={i} path={p} />
            ))}
            <Link to="/users/$user" params={{ user: b.user.key ?? '' }} className="press">
              <Trans>All that {b.user.label} holds</Trans>
            </Link>
          </div>
        </details>
      ))}
    </section>
  )
}

function NewSoDRule({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const choices = useRoleChoices()
  const empty = { label: '', description: '', prevent: true }
  const [x, setX] = useTyped('NewSoDRule x', empty)
  const [roles, setRoles] = useTyped<Choice[]>('NewSoDRule roles', [])
  const key = keyOf(x.label)
  return (
    <form
      aria-label={t`Add an SoD rule`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_sod_rule',
          key,
          label: x.label.trim(),
          description: x.description.trim(),
          roles: roles.map((r) => r.key),
          prevent: x.prevent,
        }
        sheet.add(
          { verb: t`Add`, what: t`the SoD rule ${x.label.trim()}`, detail: roles.map((r) => r.label).join(', '), operations: [operation] },
          revision,
        )
        setX(empty)
        setRoles([])
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          <Trans>Name of the SoD rule</Trans>
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>Why nobody may combine them</Trans>
          <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <Picks title={t`Roles`} label={t`Role of the SoD rule`} choices={choices} picked={roles} pick={setRoles} />
        <label className="flex gap-2 self-start pt-6">
          <input type="checkbox" checked={x.prevent} onChange={(e) => setX({ ...x, prevent: e.target.checked })} />
          <Trans>Refuse changes that would break this rule; otherwise warn</Trans>
        </label>
      </div>
      <button type="submit" className="button mt-3" disabled={!key || roles.length < 2}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
