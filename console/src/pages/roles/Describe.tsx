import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { PickBox } from '../../shared/PickBox'
import { Empty } from '../../shared/State'
import { useDay } from '../../shell/day'
import { useSheet } from '../../shell/sheet'
import { useRoleChoices, useUserChoices } from '../users/choices'
import { HeldWithinField, MaxDaysField, MaxSharesField, RiskField } from './New'
import { chosen } from '../../shared/chosen'
import { ask } from '../../api/ask'
import { AddPanel } from '../../shared/AddPanel'
import { useEdited, useTyped } from '../../shell/drafts'

type Role = Schemas['Role']

/** What a role is called, its owner, how it may be held; its copy and its end. */
export function DescribeRole({ role: r }: { role: Role }) {
  const sheet = useSheet()
  const users = useUserChoices()
  const now = {
    label: r.label,
    description: r.description ?? '',
    owner: r.owner?.key ?? '',
    risk: r.risk ?? '',
    max_days: r.max_days ? String(r.max_days) : '',
    held_within: r.held_within ?? '',
    max_shares: r.max_shares ? String(r.max_shares) : '',
  }
  const [x, setX] = useEdited('DescribeRole x', now)
  const changed: Record<string, unknown> = {}
  for (const k of ['label', 'description', 'owner', 'risk', 'held_within'] as const) if (x[k] !== now[k]) changed[k] = x[k].trim()
  for (const k of ['max_days', 'max_shares'] as const) if (x[k] !== now[k]) changed[k] = Number(x[k] || 0)
  const some = Object.keys(changed)
  return (
    <>
      <form
        aria-label={t`Edit details`}
        className="mt-2 grid max-w-180 sm:grid-cols-2 gap-x-5 gap-y-3"
        onSubmit={(e) => {
          e.preventDefault()
          sheet.add(
            {
              verb: t`Describe`,
              what: r.label,
              detail: some.join(', '),
              operations: [{ op: 'update_role', role: r.key, ...changed }],
            },
            r.revision,
          )
        }}
      >
        <label>
          <Trans>Name</Trans>
          <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>What it is for</Trans>
          <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <div>
          <span>
            <Trans>Owner</Trans>
          </span>
          <PickBox
            label={t`Owner of the role`}
            choices={users}
            value={users.find((u) => u.key === x.owner) ?? null}
            onChange={(c) => setX({ ...x, owner: c?.key ?? '' })}
          />
        </div>
        <RiskField value={x.risk} set={(risk) => setX({ ...x, risk })} />
        <MaxDaysField value={x.max_days} set={(max_days) => setX({ ...x, max_days })} />
        <HeldWithinField value={x.held_within} set={(held_within) => setX({ ...x, held_within })} />
        {r.application && <MaxSharesField value={x.max_shares} set={(max_shares) => setX({ ...x, max_shares })} />}
        <div className="self-end">
          <button type="submit" className="button" disabled={some.length === 0}>
            <Trans>Add to change sheet</Trans>
          </button>
        </div>
      </form>
      <Offer role={r} />
      <Copy role={r} />
      <section aria-label={t`Retire`} className="border-rule mt-6 max-w-180 border-t pt-4">
        <p>
          {r.retired
            ? t`If brought back, it gives its permissions to its holders again.`
            : t`If retired, it gives nothing any more to ${plural(r.holder_count, { one: '# assignment', other: '# assignments' })}. The change sheet shows who would lose what.`}
        </p>
        <button
          type="button"
          className="button-quiet mt-2"
          onClick={() =>
            r.retired
              ? sheet.add(
                  { verb: t`Bring back`, what: r.label, operations: [{ op: 'update_role', role: r.key, retired: false }] },
                  r.revision,
                )
              : sheet.add({ verb: t`Retire`, what: r.label, operations: [{ op: 'retire_role', role: r.key }] }, r.revision)
          }
        >
          {r.retired ? t`Bring it back` : t`Retire it`}
        </button>
      </section>
    </>
  )
}

/** Whether the role is requestable, in whose words, and who approves. */
function Offer({ role: r }: { role: Role }) {
  const sheet = useSheet()
  const routes = useQuery(ask('/api/v1/routes'))
  const [x, setX] = useTyped('Offer x', { words: '', route: '', max_days: '' })
  const all = routes.data?.routes ?? []
  if (r.requestable)
    return (
      <section aria-label={t`Access catalogue`} className="border-rule mt-6 max-w-180 border-t pt-4">
        <div className="flex items-center justify-between gap-4">
          <span>
            <Trans>This role is requestable.</Trans>
          </span>
          <button
            type="button"
            className="button-quiet"
            onClick={() =>
              sheet.add(
                { verb: t`No longer requestable:`, what: r.label, operations: [{ op: 'end_requestable', role: r.key }] },
                r.revision,
              )
            }
          >
            <Trans>Make it not requestable</Trans>
          </button>
        </div>
        <Translations role={r} />
      </section>
    )
  return (
    <form
      aria-label={t`Make it requestable`}
      className="border-rule mt-6 max-w-180 border-t pt-4"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'make_requestable',
          role: r.key,
          words: x.words.trim(),
          route: x.route,
          max_days: x.max_days ? Number(x.max_days) : undefined,
        }
        sheet.add({ verb: t`Offer`, what: r.label, detail: t`to whoever wants to ${x.words.trim()}`, operations: [operation] }, r.revision)
      }}
    >
      <p>
        <Trans>This role is not requestable. To make it requestable:</Trans>
      </p>
      <div className="mt-2 grid grid-cols-3 gap-x-5">
        <label>
          <Trans>What one can do with it</Trans>
          <input
            className="field"
            maxLength={500}
            placeholder={t`raise a works order`}
            value={x.words}
            onChange={(e) => setX({ ...x, words: e.target.value })}
          />
        </label>
        <label>
          <Trans>Approved by</Trans>
          <select className="field" value={x.route} onChange={(e) => setX({ ...x, route: e.target.value })}>
            <option value="">
              <Trans>choose a route</Trans>
            </option>
            {all.map((y) => (
              <option key={y.key} value={y.key}>
                {y.label}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>For at most so many days</Trans>
          <input
            type="number"
            min={1}
            max={3650}
            className="field"
            placeholder={t`without end`}
            value={x.max_days}
            onChange={(e) => setX({ ...x, max_days: e.target.value })}
          />
        </label>
      </div>
      <button type="submit" className="button-quiet mt-2" disabled={x.words.trim() === '' || x.route === ''}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

function Copy({ role: r }: { role: Role }) {
  const sheet = useSheet()
  const [label, setLabel] = useTyped('Copy label', '')
  const key = keyOf(label)
  const full = r.application ? `${r.application.key}/${key}` : key
  return (
    <form
      aria-label={t`Copy the role`}
      className="border-rule mt-6 flex max-w-180 items-end gap-3 border-t pt-4"
      onSubmit={(e) => {
        e.preventDefault()
        const operations: Operation[] = [
          {
            op: 'add_role',
            key,
            application: r.application?.key,
            label: label.trim(),
            description: r.description || undefined,
            risk: chosen(['low', 'medium', 'high'], r.risk ?? ''),
            max_days: r.max_days || undefined,
          },
          ...(r.permissions ?? [])
            .filter((p) => p.role.id === r.id)
            .map((p): Operation => ({
              op: 'add_permission',
              role: full,
              application: p.application.key,
              actions: p.actions,
              pattern: p.pattern,
              own: p.own || undefined,
            })),
          ...r.includes.map((i): Operation => ({ op: 'include_role', role: full, includes: i.key! })),
        ]
        sheet.add(
          { verb: t`Copy`, what: t`${r.label} as ${label.trim()}`, detail: t`with all it permits and includes`, operations },
          r.revision,
        )
        setLabel('')
      }}
    >
      <label className="grow">
        <Trans>Name of the copy</Trans>
        <input className="field" maxLength={200} value={label} onChange={(e) => setLabel(e.target.value)} />
      </label>
      <button type="submit" className="button-quiet" disabled={!key}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** What a role includes, as a tree, with what can be put in and left out. */
export function Includes({ role: r, writes }: { role: Role; writes: boolean }) {
  const sheet = useSheet()
  const { asOf } = useDay()
  const choices = useRoleChoices()
  const roles = useQuery(ask('/api/v1/roles', { params: { query: { as_of: asOf } } }))
  const byKey = new Map((roles.data?.roles ?? []).map((x) => [x.key, x]))
  const may = choices.filter(
    (c) => c.key !== r.key && (!r.application || c.key.startsWith(`${r.application.key}/`)) && !r.includes.some((i) => i.key === c.key),
  )
  return (
    <>
      {r.includes.length === 0 && (
        <Empty>
          <Trans>It includes no other role. Holders of a role also hold the roles it includes.</Trans>
        </Empty>
      )}
      <ul>
        {r.includes.map((i) => (
          <li key={i.id ?? i.label} className="border-rule border-b py-1.5">
            <div className="flex items-baseline justify-between gap-4">
              <Below role={i} byKey={byKey} seen={[r.key]} />
              {writes && i.key && (
                <button
                  type="button"
                  className="press self-start text-sm"
                  aria-label={t`Remove ${i.label}`}
                  onClick={() =>
                    sheet.add(
                      {
                        verb: t`Remove of`,
                        what: r.label,
                        detail: i.label,
                        operations: [{ op: 'exclude_role', role: r.key, excludes: i.key! }],
                      },
                      r.revision,
                    )
                  }
                >
                  <Trans>Remove</Trans>
                </button>
              )}
            </div>
          </li>
        ))}
      </ul>
      {writes && (
        <div className="mt-4 w-80">
          <PickBox
            label={t`Role to include`}
            choices={may}
            value={null}
            onChange={(c) =>
              c &&
              sheet.add(
                {
                  verb: t`Include in`,
                  what: r.label,
                  detail: c.label,
                  operations: [{ op: 'include_role', role: r.key, includes: c.key }],
                },
                r.revision,
              )
            }
          />
        </div>
      )}
    </>
  )
}

function Below({ role, byKey, seen }: { role: Schemas['Ref']; byKey: Map<string, Role>; seen: string[] }) {
  const below = role.key && !seen.includes(role.key) ? (byKey.get(role.key)?.includes ?? []) : []
  return (
    <div>
      {role.key ? (
        <Link to="/roles/$role" params={{ role: role.key }} className="press">
          {role.label}
        </Link>
      ) : (
        role.label
      )}
      {below.length > 0 && (
        <ul className="border-rule ml-2 border-l pl-4">
          {below.map((x) => (
            <li key={x.id ?? x.label} className="py-1">
              <Below role={x} byKey={byKey} seen={[...seen, role.key!]} />
            </li>
          ))}
        </ul>
      )}
    </div>
  )
}

/** What a requestable role is called in other languages, and what one can do with it. */
function Translations({ role: r }: { role: Role }) {
  const sheet = useSheet()
  const offer = useQuery(ask('/api/v1/catalogue/{role}', { params: { path: { role: r.key } } }))
  const all = offer.data?.translations ?? []
  return (
    <>
      {all.length > 0 && (
        <table className="register mt-3" aria-label={t`In other languages`}>
          <tbody>
            {all.map((words) => (
              <tr key={words.language}>
                <td className="w-20 font-mono">{words.language}</td>
                <td lang={words.language}>
                  {words.label}
                  {words.words && <div className="text-soft text-sm">{words.words}</div>}
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="press text-sm"
                    aria-label={t`Remove the description in ${words.language}`}
                    onClick={() =>
                      sheet.add(
                        {
                          verb: t`Remove`,
                          what: t`the description of ${r.label} in ${words.language}`,
                          operations: [{ op: 'translate_requestable', role: r.key, language: words.language }],
                        },
                        r.revision,
                      )
                    }
                  >
                    <Trans>Remove</Trans>
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="mt-3">
        <AddPanel label={t`Describe it in another language`}>{(done) => <Translate role={r} done={done} />}</AddPanel>
      </div>
    </>
  )
}

function Translate({ role: r, done }: { role: Role; done: () => void }) {
  const sheet = useSheet()
  const empty = { language: '', label: '', words: '' }
  const [x, setX] = useTyped(`Translate ${r.key}`, empty)
  const language = x.language.trim()
  return (
    <form
      aria-label={t`Describe it in another language`}
      className="mt-3 grid gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Describe`,
            what: t`${r.label} in ${language}`,
            detail: [x.label.trim(), x.words.trim()].filter(Boolean).join(': '),
            operations: [{ op: 'translate_requestable', role: r.key, language, label: x.label.trim(), words: x.words.trim() }],
          },
          r.revision,
        )
        setX(empty)
        done()
      }}
    >
      <p className="text-soft">
        <Trans>People whose attribute “language” has this value see it in the access catalogue and in mails.</Trans>
      </p>
      <label>
        <Trans>
          Language <span className="text-soft text-sm">pt, or pt-BR</span>
        </Trans>
        <input className="field font-mono" maxLength={35} value={x.language} onChange={(e) => setX({ ...x, language: e.target.value })} />
      </label>
      <label>
        <Trans>What the role is called</Trans>
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>What one can do with it</Trans>
        <input className="field" maxLength={500} value={x.words} onChange={(e) => setX({ ...x, words: e.target.value })} />
      </label>
      <button
        type="submit"
        className="button justify-self-start"
        disabled={language === '' || (x.label.trim() === '' && x.words.trim() === '')}
      >
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
