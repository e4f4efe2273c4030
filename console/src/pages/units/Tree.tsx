import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { stratify, type HierarchyNode } from 'd3-hierarchy'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { ask } from '../../api/ask'
import { AddPanel } from '../../shared/AddPanel'
import { PickBox } from '../../shared/PickBox'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useRoleChoices } from '../users/choices'
import { AddUnit } from './Add'
import { EditUnit } from './Edit'
import { useUnitAttributes } from './Values'

const route = getRouteApi('/shell/units')

type Unit = Schemas['Unit']

const above = (path: string) => (path.includes('/') ? path.slice(0, path.lastIndexOf('/')) : path === '' ? undefined : '')

/** The units as a tree, with who leads them, their people, and how many of these hold a role. */
export function UnitsPage() {
  const { role } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const choices = useRoleChoices()
  const units = useQuery({
    placeholderData: keepPreviousData,
    ...ask('/api/v1/units', { params: { query: { as_of: asOf, role } } }),
  })
  if (units.error) return <Trouble page error={units.error} retry={() => void units.refetch()} />
  if (!units.data) return <Loading what={t`the units`} />
  const { described, revision } = units.data
  const rows = new Map<string, Unit>([['', { path: '', label: '', users: 0 }]])
  for (const u of units.data.units) rows.set(u.path, u)
  for (const path of [...rows.keys()])
    for (let p = above(path); p !== undefined; p = above(p))
      if (!rows.has(p)) rows.set(p, { path: p, label: p.split('/').pop()!, users: 0 })
  const tree = stratify<Unit>()
    .id((u) => `/${u.path}`)
    .parentId((u) => (above(u.path) === undefined ? undefined : `/${above(u.path)}`))([...rows.values()])
  const picked = choices.find((c) => c.key === role)
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title
        list="units"
        query={{ as_of: asOf, role }}
        more={
          writes && (
            <AddPanel label={t`Add a unit`}>{(done) => <AddUnit units={units.data.units} revision={revision} done={done} />}</AddPanel>
          )
        }
      >
        <Trans>Units</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>The organisation as a tree: people of a unit, with those of the units below it, and who leads it.</Trans>
      </p>
      {!described && rows.size > 1 && (
        <p className="border-brass mt-3 max-w-180 border-l-4 pl-3">
          <Trans>These units are free texts: a mistyped one is another unit.</Trans>{' '}
          {writes && (
            <button
              type="button"
              className="press"
              onClick={() =>
                sheet.add({ verb: t`Make`, what: t`units of the places that people are in`, operations: [{ op: 'adopt_units' }] }, revision)
              }
            >
              <Trans>Make units of them</Trans>
            </button>
          )}
        </p>
      )}
      <div className="mt-3 max-w-80">
        <Trans>How many hold a role</Trans>
        <PickBox
          label={t`Role to count`}
          choices={choices}
          value={picked ?? null}
          onChange={(c) => void navigate({ search: (s) => ({ ...s, role: c?.key }) })}
        />
      </div>
      {role && (
        <button type="button" className="press mt-1 text-sm" onClick={() => void navigate({ search: (s) => ({ ...s, role: undefined }) })}>
          <Trans>Count people alone</Trans>
        </button>
      )}
      {rows.size === 1 && (
        <Empty>
          <Trans>No unit that you may see, and nobody you may see is in one.</Trans>
        </Empty>
      )}
      <ul className="mt-3 max-w-220">
        {(tree.children ?? []).map((n) => (
          <Branch
            key={n.id}
            node={n}
            role={role ? (picked?.label ?? role) : undefined}
            edits={writes ? { units: units.data.units, revision } : undefined}
          />
        ))}
      </ul>
    </>
  )
}

const sum = (n: HierarchyNode<Unit>, of: (u: Unit) => number) => n.descendants().reduce((all, d) => all + of(d.data), 0)

function Branch({ node, role, edits }: { node: HierarchyNode<Unit>; role?: string; edits?: { units: Unit[]; revision: number } }) {
  const [open, setOpen] = useState(true)
  const { label, path, head, led_by: ledBy, id, custom } = node.data
  const attributes = useUnitAttributes().filter((a) => custom?.[a.key])
  const users = sum(node, (u) => u.users)
  const holders = sum(node, (u) => u.holders ?? 0)
  return (
    <li className={node.depth > 1 ? 'border-rule ml-3 border-l pl-4' : ''}>
      <div className="flex flex-wrap items-baseline gap-x-3 gap-y-2 py-1.5">
        {node.children ? (
          <button
            type="button"
            className="press w-6 text-center"
            aria-expanded={open}
            aria-label={`${open ? t`Close` : t`Open`} ${label}`}
            onClick={() => setOpen(!open)}
          >
            {open ? '▾' : '▸'}
          </button>
        ) : (
          <span className="w-6" />
        )}
        <Link to="/users" search={{ unit: path }} className="press">
          {label}
        </Link>
        <span className="text-soft font-mono text-sm">{path}</span>
        <span className="text-soft">
          {plural(users, { one: '# user', other: '# users' })}
          {node.data.users > 0 && node.data.users < users && t`, ${node.data.users} of them in it itself`}
        </span>
        <span className="text-soft text-sm">
          {head ? (
            <>
              <Trans>led by</Trans>{' '}
              {head.outside ? (
                head.label
              ) : (
                <Link to="/users/$user" params={{ user: head.key! }} className="press">
                  {head.label}
                </Link>
              )}
            </>
          ) : ledBy ? (
            t`led from above, by ${ledBy.label}`
          ) : (
            t`led by nobody`
          )}
        </span>
        {attributes.map((a) => (
          <span key={a.key} className="text-soft text-sm">
            {a.label}: {custom![a.key]}
          </span>
        ))}
        {role && (
          <span className={holders > 0 ? 'text-harbour' : 'text-soft'}>
            {holders === 0 ? t`nobody holds it` : t`${plural(holders, { one: '# holder', other: '# holders' })} of ${role}`}
          </span>
        )}
        {edits && id && (
          <AddPanel press label={t`Edit ${label}`} name={`edit-${id}`}>
            {(done) => (
              <EditUnit unit={node.data} users={users} below={!!node.children} units={edits.units} revision={edits.revision} done={done} />
            )}
          </AddPanel>
        )}
      </div>
      {node.children && open && (
        <ul>
          {node.children.map((n) => (
            <Branch key={n.id} node={n} role={role} edits={edits} />
          ))}
        </ul>
      )}
    </li>
  )
}
