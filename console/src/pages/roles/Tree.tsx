import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { NewRole } from './New'
import { ask } from '../../api/ask'

type Role = Schemas['Role']

/** All roles, by application; what a role includes stands below it. */
export function RoleTree() {
  const { asOf, past } = useDay()
  const me = useMe()
  const roles = useQuery(ask('/api/v1/roles', { params: { query: { as_of: asOf } } }))
  if (roles.error) return <Trouble page error={roles.error} retry={() => void roles.refetch()} />
  if (!roles.data) return <Loading what="roles" />
  const all = roles.data.roles
  const byId = new Map(all.map((r) => [r.id, r]))
  const parts = new Map<string, Role[]>()
  for (const r of all) {
    const part = r.application?.label ?? 'The whole organisation'
    parts.set(part, [...(parts.get(part) ?? []), r])
  }
  return (
    <>
      <Title list="roles" query={{ as_of: asOf }}>
        Roles
      </Title>
      <p className="text-soft mt-1">{count(all.length, 'role')}. Holders of a role also hold the roles below it.</p>
      {all.length === 0 && (
        <Empty>No roles yet, or none that you may see. Most roles belong to one application and are made on its page.</Empty>
      )}
      {[...parts].map(([part, members]) => {
        // Roots: those no other role of the same part includes.
        const roots = members.filter((r) => !r.included_by.some((i) => i.id && members.some((m) => m.id === i.id)))
        return (
          <section key={part} className="mt-6" aria-label={part}>
            <h2 className="border-rule border-b pb-1.5">{part}</h2>
            <ul>
              {roots.map((r) => (
                <Branch key={r.id} role={r} byId={byId} depth={0} />
              ))}
            </ul>
          </section>
        )
      })}
      {!past && me.may['roles.create'] && <NewRole revision={roles.data.revision} />}
    </>
  )
}

function Branch({ role: r, byId, depth }: { role: Role; byId: Map<string, Role>; depth: number }) {
  const included = r.includes.map((i) => byId.get(i.id ?? '')).filter((x): x is Role => x !== undefined)
  const hidden = r.includes.length - included.length
  return (
    <li className={depth > 0 ? 'border-rule ml-3 border-l pl-4' : ''}>
      <div className="items-baseline gap-3 px-2 py-1.5 max-md:flex max-md:flex-wrap md:grid md:grid-cols-[16rem_15rem_1fr_8rem]">
        <Link to="/roles/$role" params={{ role: r.key }} className="press">
          {r.label}
        </Link>
        <span className="text-soft truncate font-mono text-sm">{r.key}</span>
        <span className="text-soft truncate text-sm" title={r.description}>
          {depth === 0 && r.description}
        </span>
        <span className="text-soft text-right text-sm">
          {r.retired ? 'retired' : depth === 0 ? count(r.holder_count, 'assignment') : 'included'}
        </span>
      </div>
      {(included.length > 0 || hidden > 0) && (
        <ul>
          {included.map((i) => (
            <Branch key={i.id} role={i} byId={byId} depth={depth + 1} />
          ))}
          {hidden > 0 && <li className="text-soft ml-7 italic">outside your part</li>}
        </ul>
      )}
    </li>
  )
}
