import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { stratify, type HierarchyNode } from 'd3-hierarchy'
import { useState } from 'react'
import { ask } from '../api/ask'
import { PickBox } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { count, unitWords } from '../shared/words'
import { useDay } from '../shell/day'
import { useRoleChoices } from './users/choices'

const route = getRouteApi('/shell/units')

type Unit = { path: string; users: number; holders: number }

const above = (path: string) => (path.includes('/') ? path.slice(0, path.lastIndexOf('/')) : path === '' ? undefined : '')

/** The units as a tree, with the people of each, and how many of them hold a role. */
export function UnitsPage() {
  const { role } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf } = useDay()
  const choices = useRoleChoices()
  const units = useQuery({
    placeholderData: keepPreviousData,
    ...ask('/api/v1/attributes/{attribute}/values', { params: { path: { attribute: 'unit' }, query: { as_of: asOf, role } } }),
  })
  if (units.error) return <Trouble page error={units.error} retry={() => void units.refetch()} />
  if (!units.data) return <Loading what="the units" />
  const rows = new Map<string, Unit>([['', { path: '', users: 0, holders: 0 }]])
  for (const v of units.data.values) rows.set(v.value, { path: v.value, users: v.users, holders: v.holders ?? 0 })
  for (const path of [...rows.keys()])
    for (let p = above(path); p !== undefined; p = above(p)) if (!rows.has(p)) rows.set(p, { path: p, users: 0, holders: 0 })
  const tree = stratify<Unit>()
    .id((u) => `/${u.path}`)
    .parentId((u) => (above(u.path) === undefined ? undefined : `/${above(u.path)}`))([...rows.values()])
  const picked = choices.find((c) => c.key === role)
  return (
    <>
      <h1>Units</h1>
      <p className="text-soft mt-1">The organisation as a tree: people of a unit, with those of the units below it.</p>
      <div className="mt-3 max-w-80">
        How many hold a role
        <PickBox
          label="Role to count"
          choices={choices}
          value={picked ?? null}
          onChange={(c) => void navigate({ search: (s) => ({ ...s, role: c?.key }) })}
        />
      </div>
      {role && (
        <button type="button" className="press mt-1 text-sm" onClick={() => void navigate({ search: (s) => ({ ...s, role: undefined }) })}>
          Count people alone
        </button>
      )}
      {rows.size === 1 && <Empty>Nobody you may see is in a unit.</Empty>}
      <ul className="mt-3 max-w-180">
        {(tree.children ?? []).map((n) => (
          <Branch key={n.id} node={n} role={role ? (picked?.label ?? role) : undefined} />
        ))}
      </ul>
    </>
  )
}

const sum = (n: HierarchyNode<Unit>, of: (u: Unit) => number) => n.descendants().reduce((all, d) => all + of(d.data), 0)

function Branch({ node, role }: { node: HierarchyNode<Unit>; role?: string }) {
  const [open, setOpen] = useState(true)
  const users = sum(node, (u) => u.users)
  const holders = sum(node, (u) => u.holders)
  const name = unitWords(node.data.path).split(' / ').pop()!
  return (
    <li className={node.depth > 1 ? 'border-rule ml-3 border-l pl-4' : ''}>
      <div className="flex items-baseline gap-3 py-1.5">
        {node.children ? (
          <button
            type="button"
            className="press w-6 text-center"
            aria-expanded={open}
            aria-label={`${open ? 'Close' : 'Open'} ${name}`}
            onClick={() => setOpen(!open)}
          >
            {open ? '▾' : '▸'}
          </button>
        ) : (
          <span className="w-6" />
        )}
        <Link to="/users" search={{ unit: node.data.path }} className="press">
          {name}
        </Link>
        <span className="text-soft">
          {count(users, 'user')}
          {node.children && node.data.users > 0 && `, ${node.data.users} of them in it itself`}
        </span>
        {role && (
          <span className={holders > 0 ? 'text-harbour' : 'text-soft'}>
            {holders === 0 ? 'nobody holds it' : `${count(holders, 'holder')} of ${role}`}
          </span>
        )}
      </div>
      {node.children && open && (
        <ul>
          {node.children.map((n) => (
            <Branch key={n.id} node={n} role={role} />
          ))}
        </ul>
      )}
    </li>
  )
}
