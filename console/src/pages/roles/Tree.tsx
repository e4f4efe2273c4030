import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { NewRole } from './New'
import { ask } from '../../api/ask'

type Role = Schemas['Role']

const columns: ListColumn<Role>[] = [
  {
    key: 'name',
    label: t`Role`,
    value: (r) => r.label,
    show: (r) => (
      <>
        <Link to="/roles/$role" params={{ role: r.key }} className="press">
          {r.label}
        </Link>
        <div className="text-soft text-sm">{r.description}</div>
      </>
    ),
  },
  { key: 'key', label: t`Key`, value: (r) => r.key, show: (r) => <span className="font-mono text-sm">{r.key}</span> },
  { key: 'application', label: t`Application`, value: (r) => r.application?.label ?? t`The whole organisation`, choose: true },
  { key: 'owner', label: t`Owner`, value: (r) => r.owner?.label ?? '', choose: true },
  { key: 'risk', label: t`Risk`, value: (r) => r.risk ?? '', choose: true },
  { key: 'state', label: t`State`, value: (r) => (r.retired ? 'retired' : t`in use`), choose: true, className: 'whitespace-nowrap' },
  { key: 'holders', label: t`Assignments`, value: (r) => r.holder_count, right: true },
]

const route = getRouteApi('/shell/roles')

/** All roles, as a table or as a tree: by application; what a role includes stands below it. */
export function RoleTree() {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const search = route.useSearch()
  const roles = useQuery(ask('/api/v1/roles', { params: { query: { as_of: asOf } } }))
  if (roles.error) return <Trouble page error={roles.error} retry={() => void roles.refetch()} />
  if (!roles.data) return <Loading what={t`roles`} />
  const all = roles.data.roles
  const byId = new Map(all.map((r) => [r.id, r]))
  const parts = new Map<string, Role[]>()
  for (const r of all) {
    const part = r.application?.label ?? t`The whole organisation`
    parts.set(part, [...(parts.get(part) ?? []), r])
  }
  return (
    <>
      <Title
        list="roles"
        query={{ as_of: asOf }}
        more={
          !past &&
          me.may['roles.create'] && (
            <AddPanel label={t`Make a role of the whole organisation`}>
              {(done) => <NewRole revision={roles.data.revision} done={done} />}
            </AddPanel>
          )
        }
      >
        <Trans>Roles</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>Holders of a role also hold the roles below it.</Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>No roles yet, or none that you may see. Most roles belong to one application and are made on its page.</Trans>
        </Empty>
      )}
      <p className="mt-2 flex gap-4 print:hidden">
        {search.as === 'tree' ? (
          <Link to="/roles" search={(x) => ({ ...x, as: undefined })} className="press">
            <Trans>As a table</Trans>
          </Link>
        ) : (
          <Link to="/roles" search={(x) => ({ ...x, as: 'tree' })} className="press">
            <Trans>As a tree: what each role includes</Trans>
          </Link>
        )}
      </p>
      {search.as !== 'tree' && (
        <ListTable
          what={t`role`}
          rows={all}
          columns={columns}
          id={(r) => r.id}
          acts={
            !past && me.may['roles.update']
              ? (picked, clear) => (
                  <button
                    type="button"
                    className="button-quiet"
                    onClick={() => {
                      sheet.add(
                        {
                          verb: t`Retire`,
                          what: plural(picked.length, { one: '# role', other: '# roles' }),
                          detail: picked.map((r) => r.label).join(', '),
                          operations: picked.map((r) => ({ op: 'retire_role', role: r.key })),
                        },
                        roles.data.revision,
                      )
                      clear()
                    }}
                  >
                    <Trans>Retire</Trans>
                  </button>
                )
              : undefined
          }
        />
      )}
      {search.as === 'tree' &&
        [...parts].map(([part, members]) => {
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
          {r.retired ? t`retired` : depth === 0 ? plural(r.holder_count, { one: '# assignment', other: '# assignments' }) : t`included`}
        </span>
      </div>
      {(included.length > 0 || hidden > 0) && (
        <ul>
          {included.map((i) => (
            <Branch key={i.id} role={i} byId={byId} depth={depth + 1} />
          ))}
          {hidden > 0 && (
            <li className="text-soft ml-7 italic">
              <Trans>outside your part</Trans>
            </li>
          )}
        </ul>
      )}
    </li>
  )
}
