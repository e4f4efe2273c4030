import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { PickBox } from '../../shared/PickBox'
import { Empty } from '../../shared/State'
import { count } from '../../shared/words'
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
        aria-label="Edit details"
        className="mt-2 grid max-w-180 sm:grid-cols-2 gap-x-5 gap-y-3"
        onSubmit={(e) => {
          e.preventDefault()
          sheet.add(
            {
              verb: 'Describe',
              what: r.label,
              detail: some.join(', '),
              operations: [{ op: 'update_role', role: r.key, ...changed }],
            },
            r.revision,
          )
        }}
      >
        <label>
          Name
          <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          What it is for
          <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <div>
          <span>Owner</span>
          <PickBox
            label="Owner of the role"
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
            Add to change sheet
          </button>
        </div>
      </form>
      <Offer role={r} />
      <Copy role={r} />
      <section aria-label="Retire" className="border-rule mt-6 max-w-180 border-t pt-4">
        <p>
          {r.retired
            ? 'If brought back, it gives its permissions to its holders again.'
            : `If retired, it gives nothing any more to ${count(r.holder_count, 'assignment')}. The change sheet shows who would lose what.`}
        </p>
        <button
          type="button"
          className="button-quiet mt-2"
          onClick={() =>
            r.retired
              ? sheet.add(
                  { verb: 'Bring back', what: r.label, operations: [{ op: 'update_role', role: r.key, retired: false }] },
                  r.revision,
                )
              : sheet.add({ verb: 'Retire', what: r.label, operations: [{ op: 'retire_role', role: r.key }] }, r.revision)
          }
        >
          {r.retired ? 'Bring it back' : 'Retire it'}
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
      <section aria-label="Access catalogue" className="border-rule mt-6 max-w-180 border-t pt-4">
        <div className="flex items-center justify-between gap-4">
          <span>This role is requestable.</span>
          <button
            type="button"
            className="button-quiet"
            onClick={() =>
              sheet.add({ verb: 'No longer requestable:', what: r.label, operations: [{ op: 'end_requestable', role: r.key }] }, r.revision)
            }
          >
            Make it not requestable
          </button>
        </div>
        <Translations role={r} />
      </section>
    )
  return (
    <form
      aria-label="Make it requestable"
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
        sheet.add({ verb: 'Offer', what: r.label, detail: `to whoever wants to ${x.words.trim()}`, operations: [operation] }, r.revision)
      }}
    >
      <p>This role is not requestable. To make it requestable:</p>
      <div className="mt-2 grid grid-cols-3 gap-x-5">
        <label>
          What one can do with it
          <input
            className="field"
            maxLength={500}
            placeholder="raise a works order"
            value={x.words}
            onChange={(e) => setX({ ...x, words: e.target.value })}
          />
        </label>
        <label>
          Approved by
          <select className="field" value={x.route} onChange={(e) => setX({ ...x, route: e.target.value })}>
            <option value="">choose a route</option>
            {all.map((y) => (
              <option key={y.key} value={y.key}>
                {y.label}
              </option>
            ))}
          </select>
        </label>
        <label>
          For at most so many days
          <input
            type="number"
            min={1}
            max={3650}
            className="field"
            placeholder="without end"
            value={x.max_days}
            onChange={(e) => setX({ ...x, max_days: e.target.value })}
          />
        </label>
      </div>
      <button type="submit" className="button-quiet mt-2" disabled={x.words.trim() === '' || x.route === ''}>
        Add to change sheet
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
      aria-label="Copy the role"
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
          { verb: 'Copy', what: `${r.label} as ${label.trim()}`, detail: 'with all it permits and includes', operations },
          r.revision,
        )
        setLabel('')
      }}
    >
      <label className="grow">
        Name of the copy
        <input className="field" maxLength={200} value={label} onChange={(e) => setLabel(e.target.value)} />
      </label>
      <button type="submit" className="button-quiet" disabled={!key}>
        Add to change sheet
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
      {r.includes.length === 0 && <Empty>It includes no other role. Holders of a role also hold the roles it includes.</Empty>}
      <ul>
        {r.includes.map((i) => (
          <li key={i.id ?? i.label} className="border-rule border-b py-1.5">
            <div className="flex items-baseline justify-between gap-4">
              <Below role={i} byKey={byKey} seen={[r.key]} />
              {writes && i.key && (
                <button
                  type="button"
                  className="press self-start text-sm"
                  aria-label={`Remove ${i.label}`}
                  onClick={() =>
                    sheet.add(
                      {
                        verb: 'Remove of',
                        what: r.label,
                        detail: i.label,
                        operations: [{ op: 'exclude_role', role: r.key, excludes: i.key! }],
                      },
                      r.revision,
                    )
                  }
                >
                  Remove
                </button>
              )}
            </div>
          </li>
        ))}
      </ul>
      {writes && (
        <div className="mt-4 w-80">
          <PickBox
            label="Role to include"
            choices={may}
            value={null}
            onChange={(c) =>
              c &&
              sheet.add(
                {
                  verb: 'Include in',
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
        <table className="register mt-3" aria-label="In other languages">
          <tbody>
            {all.map((t) => (
              <tr key={t.language}>
                <td className="w-20 font-mono">{t.language}</td>
                <td lang={t.language}>
                  {t.label}
                  {t.words && <div className="text-soft text-sm">{t.words}</div>}
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="press text-sm"
                    aria-label={`Remove the description in ${t.language}`}
                    onClick={() =>
                      sheet.add(
                        {
                          verb: 'Remove',
                          what: `the description of ${r.label} in ${t.language}`,
                          operations: [{ op: 'translate_requestable', role: r.key, language: t.language }],
                        },
                        r.revision,
                      )
                    }
                  >
                    Remove
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <div className="mt-3">
        <AddPanel label="Describe it in another language">{(done) => <Translate role={r} done={done} />}</AddPanel>
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
      aria-label="Describe it in another language"
      className="mt-3 grid gap-x-5 gap-y-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: 'Describe',
            what: `${r.label} in ${language}`,
            detail: [x.label.trim(), x.words.trim()].filter(Boolean).join(': '),
            operations: [{ op: 'translate_requestable', role: r.key, language, label: x.label.trim(), words: x.words.trim() }],
          },
          r.revision,
        )
        setX(empty)
        done()
      }}
    >
      <p className="text-soft">People whose attribute “language” has this value see it in the access catalogue and in mails.</p>
      <label>
        Language <span className="text-soft text-sm">pt, or pt-BR</span>
        <input className="field font-mono" maxLength={35} value={x.language} onChange={(e) => setX({ ...x, language: e.target.value })} />
      </label>
      <label>
        What the role is called
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        What one can do with it
        <input className="field" maxLength={500} value={x.words} onChange={(e) => setX({ ...x, words: e.target.value })} />
      </label>
      <button
        type="submit"
        className="button justify-self-start"
        disabled={language === '' || (x.label.trim() === '' && x.words.trim() === '')}
      >
        Add to change sheet
      </button>
    </form>
  )
}
