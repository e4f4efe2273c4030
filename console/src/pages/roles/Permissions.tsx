import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { list } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { Covered } from '../applications/Covered'
import { PermissionGrid } from './PermissionGrid'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'

type Role = Schemas['Role']

/** What a role permits: its permissions one by one, and as a grid of resources
 * and actions in which they are given and taken. */
export function Permissions({ role: r }: { role: Role }) {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const writes = !past && !!me.may['roles.update']
  const applications = useQuery(ask('/api/v1/applications', { params: { query: { as_of: asOf } } }))
  const [chosen, setChosen] = useState<string>()
  const all = applications.data?.applications ?? []
  const application = r.application?.key ?? chosen ?? r.permissions?.[0]?.application.key ?? all.find((a) => a.key !== 'able-roster')?.key
  return (
    <>
      {(r.permissions ?? []).length === 0 ? (
        <Empty>
          <Trans>No permissions yet. Choose cells below, or write a pattern.</Trans>
        </Empty>
      ) : (
        <table className="register">
          <thead>
            <tr>
              <th>
                <Trans>Application</Trans>
              </th>
              <th>
                <Trans>Action</Trans>
              </th>
              <th>
                <Trans>Resource</Trans>
              </th>
              <th>
                <Trans>From role</Trans>
              </th>
              <th>
                <span className="sr-only">
                  <Trans>Edit</Trans>
                </span>
              </th>
            </tr>
          </thead>
          <tbody>
            {r.permissions!.map((p) => (
              <tr key={p.id}>
                <td>{p.application.label}</td>
                <td>{p.actions.includes('*') ? t`everything` : list(p.actions)}</td>
                <td>
                  <PathText path={p.pattern} />
                  {p.own && (
                    <span className="text-soft text-sm">
                      <Trans> only their own</Trans>
                    </span>
                  )}
                </td>
                <td className="text-soft">{p.role.id === r.id ? t`itself` : p.role.label}</td>
                <td className="text-right">
                  {writes && p.role.id === r.id && (
                    <button
                      type="button"
                      className="press text-sm"
                      aria-label={t`Remove ${list(p.actions)} ${p.pattern}`}
                      onClick={() =>
                        sheet.add(
                          {
                            verb: t`Take from`,
                            what: r.label,
                            detail: `${list(p.actions)} ${p.pattern}`,
                            operations: [{ op: 'remove_permission', permission: p.id }],
                          },
                          r.revision,
                        )
                      }
                    >
                      <Trans>Remove</Trans>
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!r.application && all.length > 0 && (
        <label className="mt-5 block max-w-80">
          <Trans>Grid of</Trans>
          <select className="field" value={application} onChange={(e) => setChosen(e.target.value)}>
            {all.map((a) => (
              <option key={a.id} value={a.key}>
                {a.label}
              </option>
            ))}
          </select>
        </label>
      )}
      {application && <OfApplication key={application} role={r} application={application} writes={writes} />}
    </>
  )
}

function OfApplication({ role: r, application, writes }: { role: Role; application: string; writes: boolean }) {
  const { asOf } = useDay()
  const one = useQuery(ask('/api/v1/applications/{application}', { params: { path: { application }, query: { as_of: asOf } } }))
  if (one.error) return <Trouble error={one.error} retry={() => void one.refetch()} />
  if (!one.data) return <Loading what={application} />
  return (
    <>
      <PermissionGrid role={r} application={one.data} writes={writes} />
      {writes && <ByPattern role={r} application={one.data} />}
    </>
  )
}

function ByPattern({ role: r, application: a }: { role: Role; application: Schemas['Application'] }) {
  const sheet = useSheet()
  const empty = { pattern: '', own: false, actions: [] as string[] }
  const [x, setX] = useTyped('ByPattern x', empty)
  return (
    <form
      aria-label={t`Permit by a pattern`}
      className="mt-5 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_permission',
          role: r.key,
          application: a.key,
          actions: x.actions,
          pattern: x.pattern.trim(),
          own: x.own || undefined,
        }
        sheet.add(
          {
            verb: t`Let`,
            what: `${r.label} ${x.actions.includes('*') ? t`do everything on` : list(x.actions)} ${x.pattern.trim()}`,
            detail: a.label,
            operations: [operation],
          },
          r.revision,
        )
        setX(empty)
      }}
    >
      <h2>
        <Trans>By a pattern</Trans>
      </h2>
      <input
        className="field mt-1 font-mono"
        aria-label={t`Pattern`}
        placeholder={t`berths/north-*`}
        value={x.pattern}
        onChange={(e) => setX({ ...x, pattern: e.target.value })}
      />
      <Covered application={a.key} pattern={x.pattern} />
      <div className="mt-1 flex flex-wrap gap-x-5">
        {['*', ...a.actions.map((y) => y.key)].map((k) => (
          <label key={k} className="flex gap-2">
            <input
              type="checkbox"
              checked={x.actions.includes(k)}
              onChange={(e) => setX({ ...x, actions: e.target.checked ? [...x.actions, k] : x.actions.filter((y) => y !== k) })}
            />
            {k === '*' ? t`all actions, also future ones` : k}
          </label>
        ))}
        <label className="flex gap-2">
          <input type="checkbox" checked={x.own} onChange={(e) => setX({ ...x, own: e.target.checked })} />
          <Trans>only their own resources</Trans>
        </label>
      </div>
      <button type="submit" className="button-quiet mt-2" disabled={x.pattern.trim() === '' || x.actions.length === 0}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
