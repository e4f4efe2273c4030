import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { type Choice } from '../../shared/PickBox'
import { Picks } from '../../shared/Picks'
import { UserBox } from '../../shared/UserBox'
import { windowOf } from '../../shared/window'
import { dayOf, shortDay } from '../../shared/words'
import { useTyped } from '../../shell/drafts'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useRoleChoices } from '../users/choices'
import { ScopesFields, type ScopeInput } from '../users/Scopes'

type Rule = Schemas['Default']

/** What limits a rule, in a few words each. */
export function limitWords(d: Rule): string[] {
  const out = (d.scopes ?? []).map((s) => t`within ${s.pattern} of ${s.application.label}`)
  if (d.from) out.push(t`from ${shortDay(d.from)}`)
  if (d.last_day ?? d.until) out.push(t`until ${shortDay((d.last_day ?? d.until)!)}`)
  if (d.after_days) out.push(t`from ${plural(d.after_days, { one: '# day', other: '# days' })} after the first day`)
  if (d.lasts_days) out.push(t`for ${plural(d.lasts_days, { one: '# day', other: '# days' })}`)
  if (d.overlap_days) out.push(t`${plural(d.overlap_days, { one: '# day', other: '# days' })} longer after a move`)
  if (d.final) out.push(t`no later rule gives to the same users`)
  return out
}

const choices = (refs: Schemas['Ref'][]): Choice[] => refs.map((r) => ({ key: r.key ?? '', label: r.label }))

const blank = {
  label: '',
  key: '',
  filter: '',
  everybody: false,
  owner: '',
  order: '0',
  final: false,
  first: '',
  last: '',
  after: '0',
  lasts: '0',
  overlap: '0',
}

/** Stands for the unit of a user in a scope. */
const inBraces = '{unit}'

/** Writes a default rule, or edits one that is there. */
export function RuleForm({ rule, revision, done }: { rule?: Rule; revision: number; done: () => void }) {
  const sheet = useSheet()
  const me = useMe()
  const roleChoices = useRoleChoices()
  const groupChoices = useGroupChoices()
  const [start] = useState(() =>
    rule
      ? {
          label: rule.label,
          key: rule.key,
          filter: rule.filter ?? '',
          everybody: rule.everybody ?? false,
          owner: rule.owner?.key ?? '',
          order: String(rule.order),
          final: rule.final ?? false,
          first: rule.from ? dayOf(rule.from) : '',
          last: rule.last_day ?? '',
          after: String(rule.after_days ?? 0),
          lasts: String(rule.lasts_days ?? 0),
          overlap: String(rule.overlap_days ?? 0),
        }
      : blank,
  )
  const name = rule ? `RuleForm ${rule.key}` : 'RuleForm'
  const [x, setX] = useTyped(`${name} x`, start)
  const [roles, setRoles] = useTyped<Choice[]>(`${name} roles`, choices(rule?.roles ?? []))
  const [groups, setGroups] = useTyped<Choice[]>(`${name} groups`, choices(rule?.groups ?? []))
  const [scopes, setScopes] = useTyped<ScopeInput[]>(
    `${name} scopes`,
    (rule?.scopes ?? []).map((s) => ({ application: s.application.key ?? '', pattern: s.pattern })),
  )
  const key = x.key || keyOf(x.label)
  const ready = key !== '' && (x.everybody || x.filter.trim() !== '') && roles.length + groups.length > 0
  const field = (label: string, name: 'order' | 'after' | 'lasts' | 'overlap', hint: string) => (
    <label>
      {label} <span className="text-soft text-sm">{hint}</span>
      <input className="field" type="number" min={0} value={x[name]} onChange={(e) => setX({ ...x, [name]: e.target.value })} />
    </label>
  )
  return (
    <form
      aria-label={rule ? t`Edit ${rule.label}` : t`Write a default rule`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const window = windowOf(x, me.time_zone)
        const says = {
          label: x.label.trim(),
          roles: roles.map((r) => r.key),
          groups: groups.map((g) => g.key),
          order: Number(x.order),
          final: x.final,
          scopes: scopes.filter((s) => s.pattern.trim()),
          after_days: Number(x.after),
          lasts_days: Number(x.lasts),
          overlap_days: Number(x.overlap),
        }
        const operation: Operation = rule
          ? {
              op: 'update_default',
              default: rule.key,
              ...says,
              everybody: x.everybody,
              filter: x.everybody ? '' : x.filter.trim(),
              owner: x.owner,
              from: window.from ?? '',
              until: window.until ?? '',
            }
          : {
              op: 'add_default',
              key,
              ...says,
              ...(x.everybody ? { everybody: true } : { filter: x.filter.trim() }),
              ...(x.owner && { owner: x.owner }),
              ...window,
            }
        sheet.add(
          {
            verb: rule ? t`Edit` : t`Write`,
            what: t`the rule ${x.label.trim() || key}`,
            detail: [...roles, ...groups].map((c) => c.label).join(', '),
            operations: [operation],
          },
          revision,
        )
        setX(start)
        setRoles(choices(rule?.roles ?? []))
        setGroups(choices(rule?.groups ?? []))
        setScopes([])
        done()
      }}
    >
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-2">
        <label>
          <Trans>Name of the rule</Trans>
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        {!rule && (
          <label>
            <Trans>
              Key <span className="text-soft text-sm">never reused</span>
            </Trans>
            <input className="field font-mono" value={x.key} placeholder={key} onChange={(e) => setX({ ...x, key: e.target.value })} />
          </label>
        )}
        <label className="sm:col-span-2">
          <Trans>
            For users who match <span className="text-soft text-sm">such as within eq "marine" and employment_type eq "staff"</span>
          </Trans>
          <input
            className="field font-mono"
            disabled={x.everybody}
            value={x.everybody ? '' : x.filter}
            onChange={(e) => setX({ ...x, filter: e.target.value })}
          />
        </label>
        <label className="flex gap-2 sm:col-span-2">
          <input type="checkbox" checked={x.everybody} onChange={(e) => setX({ ...x, everybody: e.target.checked })} />
          <Trans>For everybody</Trans>
        </label>
        <Picks title={t`Roles`} label={t`Role it gives`} choices={roleChoices} picked={roles} pick={setRoles} />
        <Picks title={t`Groups`} label={t`Group it adds to`} choices={groupChoices} picked={groups} pick={setGroups} />
      </div>
      <details className="mt-4" open={rule && limitWords(rule).length > 0}>
        <summary className="text-harbour font-medium">
          <Trans>Owner, order, dates, days and scopes</Trans>
        </summary>
        <div className="bg-wash mt-2 grid gap-x-5 gap-y-3 rounded-md p-3 sm:grid-cols-2">
          <div>
            <Trans>
              Owner
              <UserBox label={t`Owner of the rule`} value={x.owner} onChange={(owner) => setX({ ...x, owner })} />
            </Trans>
          </div>
          {field(t`Order`, 'order', t`lower ones come first`)}
          <label className="flex gap-2 sm:col-span-2">
            <input type="checkbox" checked={x.final} onChange={(e) => setX({ ...x, final: e.target.checked })} />
            <Trans>Users whom it matches get nothing by later rules</Trans>
          </label>
          <label>
            <Trans>First day</Trans>
            <input type="date" className="field" value={x.first} onChange={(e) => setX({ ...x, first: e.target.value })} />
          </label>
          <label>
            <Trans>Last day</Trans>
            <input type="date" className="field" value={x.last} onChange={(e) => setX({ ...x, last: e.target.value })} />
          </label>
          {field(t`Begins after`, 'after', t`days after the user’s first day`)}
          {field(t`Lasts`, 'lasts', t`days; 0 is without end`)}
          {field(t`Kept after a move`, 'overlap', 'days')}
          <div className="sm:col-span-2">
            <p className="text-soft text-sm">
              <Trans>The roles give only what a scope covers. {inBraces} or another attribute in braces stands for the user’s value.</Trans>
            </p>
            <ScopesFields scopes={scopes} set={setScopes} />
          </div>
        </div>
      </details>
      <button type="submit" className="button mt-3" disabled={!ready}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
