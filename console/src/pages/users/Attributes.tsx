import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Fragment, useState, type ReactNode } from 'react'
import type { Schemas } from '../../api/client'
import { UserBox } from '../../shared/UserBox'
import { dayOf, list, sentence, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { builtInOf, useAttributes } from './attributes'
import { Fields, operationOf, valuesOf } from './Fields'
import { LegalHold } from './LegalHold'
import { Merge } from './Merge'
import { SignInOf } from './SignInOf'
import { Substitutes } from './Substitutes'
import { Times } from './Times'
import { ask } from '../../api/ask'
import { useEdited, useTyped } from '../../shell/drafts'

/** What is said of a user, and what can be done about that. */
export function Attributes({ user: u }: { user: Schemas['UserDetail'] }) {
  const me = useMe()
  const sheet = useSheet()
  const { past, asOf } = useDay()
  const attributes = useAttributes(asOf)
  const { builtIn, declared } = attributes
  const [what, setWhat] = useState<'change' | 'depart' | 'sign-in' | 'merge' | null>(null)
  const row = (a: { key: string; label: string; type: string }, value?: string): [string, ReactNode] => {
    const source = u.sources?.find((s) => s.attribute === a.key)
    return [
      a.label,
      <>
        {value ? (
          a.type === 'date' ? (
            shortDay(value)
          ) : (
            value
          )
        ) : (
          <span className="text-soft">
            <Trans>not given</Trans>
          </span>
        )}
        {source && (
          <span className="text-soft text-sm">
            {' '}
            <Trans>from {source.account.label}</Trans>
            {source.overridable && t`, may be changed here`}
          </span>
        )}
      </>,
    ]
  }
  const rows: [string, ReactNode][] = [
    ...builtIn.map((a) => row(a, builtInOf(u, a.key))),
    ...declared.map((a) => row(a, u.custom?.[a.key])),
    [t`Id`, u.id],
  ]
  const turn = (status: 'suspended' | 'active') =>
    sheet.add(
      {
        verb: status === 'active' ? t`Bring back` : t`Suspend`,
        what: u.display_name,
        operations: [{ op: 'update_user', user: u.user_name, status }],
      },
      u.revision,
    )
  const acts = me.may['users.update'] && !past
  const there = u.status !== 'departed'
  const press = (key: 'change' | 'depart' | 'sign-in' | 'merge', label: string) => (
    <button type="button" className="button-quiet" aria-expanded={what === key} onClick={() => setWhat(what === key ? null : key)}>
      {label}
    </button>
  )
  return (
    <>
      {acts && (
        <div className="mt-2 flex flex-wrap gap-3">
          {there && press('change', t`Change`)}
          {u.status === 'active' && (
            <button type="button" className="button-quiet" onClick={() => turn('suspended')}>
              <Trans>Suspend</Trans>
            </button>
          )}
          {u.status !== 'active' && (
            <button type="button" className="button-quiet" onClick={() => turn('active')}>
              {u.status === 'invited' ? t`Make active` : t`Bring back`}
            </button>
          )}
          {there && press('depart', t`Depart`)}
          {u.kind === 'person' && !u.merged_into && press('merge', t`Merge`)}
          {u.effective && press('sign-in', t`Give sign-in`)}
        </div>
      )}
      {what === 'change' && <Change key={u.revision} user={u} attributes={attributes} done={() => setWhat(null)} />}
      {what === 'depart' && <Depart user={u} done={() => setWhat(null)} />}
      {what === 'merge' && <Merge user={u} done={() => setWhat(null)} />}
      {(u.merged_into ?? u.merged_from) && (
        <p className="mt-2">
          {u.merged_into
            ? t`This record was merged into ${u.merged_into.label} (${u.merged_into.key ?? ''}).`
            : t`Merged into this record: ${list((u.merged_from ?? []).map((r) => r.key ?? r.label))}.`}
        </p>
      )}
      {what === 'sign-in' && <SignInOf user={u} />}
      {what !== 'change' && (
        <dl className="mt-2 grid max-w-160 grid-cols-[10rem_1fr]">
          {rows.map(([label, value]) => (
            <Fragment key={label}>
              <dt className="text-soft border-rule border-b py-1.5">{label}</dt>
              <dd className="border-rule border-b py-1.5">{value}</dd>
            </Fragment>
          ))}
        </dl>
      )}
      {what === null && <Times user={u} acts={!!acts && there} />}
      {what === null && u.kind === 'person' && <Substitutes user={u} acts={!!acts && there} />}
      {what === null && !u.user_name.startsWith('erased-') && <LegalHold user={u} acts={!past && !!me.may['settings.update']} />}
      {acts && u.status === 'departed' && !u.user_name.startsWith('erased-') && <Erase user={u} />}
    </>
  )
}

function Change({
  user: u,
  attributes,
  done,
}: {
  user: Schemas['UserDetail']
  attributes: ReturnType<typeof useAttributes>
  done: () => void
}) {
  const sheet = useSheet()
  const [before] = useState(() => valuesOf(u, attributes.builtIn))
  const [values, setValues] = useEdited('Change values', before)
  const fields = operationOf(values, before)
  const changed = Object.keys(fields)
  const all = [...attributes.builtIn, ...attributes.declared]
  const elsewhere = (u.sources ?? []).filter((s) => !s.overridable)
  const fixed = (key: string) => elsewhere.some((s) => s.attribute === key)
  return (
    <form
      aria-label={t`Change ${u.display_name}`}
      className="mt-3 grid max-w-160 sm:grid-cols-2 gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        const detail = Object.entries({ ...fields, ...(fields.custom as object) })
          .filter(([k]) => k !== 'custom')
          .map(([k, v]) => `${k.replaceAll('_', ' ')}: ${String(v) || 'cleared'}`)
          .join('; ')
        sheet.add(
          { verb: t`Change`, what: u.display_name, detail, operations: [{ op: 'update_user', user: u.user_name, ...fields }] },
          u.revision,
        )
        setValues(before)
        done()
      }}
    >
      <Fields
        values={values}
        set={setValues}
        attributes={{
          builtIn: attributes.builtIn.filter((a) => !fixed(a.key)),
          declared: attributes.declared.filter((a) => !fixed(a.key)),
        }}
      />
      {elsewhere.length > 0 && (
        <p className="text-soft text-sm sm:col-span-2">
          {sentence(
            t`${list(elsewhere.map((s) => (all.find((a) => a.key === s.attribute)?.label ?? s.attribute).toLowerCase()))} ${elsewhere.length === 1 ? t`comes` : t`come`} from ${list([...new Set(elsewhere.map((s) => s.account.label))])}, and ${elsewhere.length === 1 ? 'is' : 'are'} changed there`,
          )}
        </p>
      )}
      <div className="sm:col-span-2">
        <button type="submit" className="button" disabled={changed.length === 0}>
          <Trans>Add to change sheet</Trans>
        </button>
      </div>
    </form>
  )
}

/** Ends all access of somebody who leaves, and hands over what they answer for. */
function Depart({ user: u, done }: { user: Schemas['UserDetail']; done: () => void }) {
  const sheet = useSheet()
  const [to, setTo] = useTyped('Depart to', { key: '', name: '' })
  const [last, setLast] = useTyped('Depart last', '')
  // A day that has not ended yet is their last: they are there until then.
  const me = useMe()
  const ahead = last !== '' && last >= dayOf(me.now)
  const owned = useQuery(ask('/api/v1/users/{user}/owned', { params: { path: { user: u.user_name } } }))
  const o = owned.data
  const left = o
    ? [
        ...o.applications.map((r) => t`the application ${r.label}`),
        ...o.roles.map((r) => t`the role ${r.label}`),
        ...o.groups.map((r) => t`the group ${r.label}`),
        ...o.expectations.map((r) => t`the expectation ${r.label}`),
        ...o.defaults.map((r) => t`the default rule ${r.label}`),
        ...o.units.map((r) => t`the unit ${r.label}, which they lead`),
        ...o.machine_accounts.map((r) => t`the machine account ${r.label}, which they are accountable for`),
        ...o.shared_accounts.map((r) => t`the shared account ${r.label}, of which they are the custodian`),
        ...o.sponsored_rules.map((r) => t`the rule ${r.label}, whose people they sponsor`),
        ...o.routes.map((r) => t`the route ${r.label}, by which they approve`),
        ...o.reviews.map((r) => t`the review ${r.label}`),
        ...o.stands_in_for.map((r) => t`what they decide in the place of ${r.label}`),
        ...(o.people.length > 0 ? [t`${plural(o.people.length, { one: '# person', other: '# people' })} who report to them`] : []),
      ]
    : []
  return (
    <form
      aria-label={t`${u.display_name} departs`}
      className="bg-wash mt-3 max-w-160 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Depart`,
            what: u.display_name,
            detail: [ahead ? t`last day ${shortDay(last)}` : t`at once`, to.key && t`what they own goes to ${to.name}`]
              .filter(Boolean)
              .join(', '),
            operations: [
              ...(to.key ? [{ op: 'hand_over', user: u.user_name, to: to.key } as const] : []),
              {
                op: 'update_user',
                user: u.user_name,
                ...(ahead ? {} : { status: 'departed' as const }),
                ...(last ? { end_date: last } : {}),
              },
            ],
          },
          u.revision,
        )
        setTo({ key: '', name: '' })
        setLast('')
        done()
      }}
    >
      <label className="block max-w-80">
        <Trans>
          Last day <span className="text-soft text-sm">none: at once</span>
        </Trans>
        <input className="field" type="date" value={last} onChange={(e) => setLast(e.target.value)} />
      </label>
      <p className="mt-2">
        <Trans>
          {ahead
            ? t`All that ${u.display_name} can do ends after ${shortDay(last)}, with sign-in and tokens.`
            : t`All that ${u.display_name} can do ends at once, with sign-in and tokens.`}{' '}
          Their history stays in the ledger; their user name is never reused.
        </Trans>
      </p>
      {o && (
        <p className="mt-2">
          {left.length === 0 ? t`They own nothing that would be left without an owner.` : t`They own ${list(left)}.`}
          {o.deciding > 0 && t` ${plural(o.deciding, { one: '# request', other: '# requests' })} of others wait for them.`}
          {o.waiting > 0 && t` ${plural(o.waiting, { one: '# request', other: '# requests' })} of theirs waits; it ends with them.`}
        </p>
      )}
      {left.length > 0 && (
        <div className="mt-2 max-w-80">
          <span aria-hidden>
            <Trans>Hand over to</Trans>
          </span>
          <UserBox label={t`Hand over to`} value={to.key} onChange={(key, name) => setTo({ key, name })} />
        </div>
      )}
      <button type="submit" className="button mt-3">
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Erases what is personal about somebody who has departed. */
function Erase({ user: u }: { user: Schemas['UserDetail'] }) {
  const sheet = useSheet()
  return (
    <section aria-label={t`Erase`} className="border-rule mt-6 max-w-160 border-t pt-4">
      <p>
        <Trans>
          Names and address can be erased. What {u.display_name} held, decided and changed stays in the ledger, about “a departed user”, and
          so do unit, title and dates, since they gave access; the ledger verifies as before. It cannot be undone.
        </Trans>
      </p>
      <button
        type="button"
        className="button-quiet mt-2"
        onClick={() =>
          sheet.add(
            {
              verb: t`Erase`,
              what: t`the personal values of ${u.display_name}`,
              operations: [{ op: 'erase_user', user: u.id }],
            },
            u.revision,
          )
        }
      >
        <Trans>Erase them</Trans>
      </button>
    </section>
  )
}
