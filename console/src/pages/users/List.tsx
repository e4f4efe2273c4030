import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import type { Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { fullDay, shortDay, unitWords } from '../../shared/words'
import { SaveAs } from '../../shared/Export'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { builtInOf, columnsOf, useAttributes, usual, type Column } from './attributes'
import { ColumnPicker } from './ColumnPicker'
import { FilterBuilder } from './FilterBuilder'
import { fetchAll, GroupByRule, Several } from './Several'
import { Views } from './Views'
import { askPages } from '../../api/ask'

const route = getRouteApi('/shell/users')

const statuses = ['active', 'invited', 'suspended', 'departed'] as const
type StatusWord = (typeof statuses)[number]

/** How wide each column is; one that was declared is as wide as the rest. */
const widths: Record<string, string> = {
  name: '1.4fr',
  user_name: '1.2fr',
  title: '1.1fr',
  unit: '1.3fr',
  status: '0.7fr',
  email: '1.6fr',
  kind: '0.6fr',
}
const layoutOf = (shown: Column[], picks: boolean) => ({
  gridTemplateColumns: [...(picks ? ['1.5rem'] : []), ...shown.map((c) => `minmax(0, ${widths[c.key] ?? '1fr'})`)].join(' '),
})

/** The register of users. */
export function UserList() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
  const columns = columnsOf(useAttributes(asOf))
  const shownKeys = search.columns?.split(',') ?? usual
  const shown = shownKeys.map((k) => columns.find((c) => c.key === k)).filter((c) => c !== undefined)
  const [building, setBuilding] = useState(false)
  const [text, setText] = useState(search.q ?? '')
  // What is typed goes into the address a moment later, without a step back
  // for every letter.
  useEffect(() => {
    const wait = setTimeout(() => {
      if (text !== (search.q ?? '')) void navigate({ search: (s) => ({ ...s, q: text || undefined }), replace: true })
    }, 150)
    return () => clearTimeout(wait)
  }, [text, search.q, navigate])

  const users = useInfiniteQuery({
    placeholderData: keepPreviousData,
    ...askPages('/api/v1/users', (cursor) => ({
      params: {
        query: {
          q: search.q,
          status: search.status as StatusWord | undefined,
          unit: search.unit,
          group: search.group,
          filter: search.filter,
          sort: search.sort,
          as_of: asOf,
          limit: 200,
          cursor,
        },
      },
    })),
  })
  const [picked, setPicked] = useState<Map<string, string>>(new Map())
  const picks = !past && (me.may['users.update'] || me.may['roles.assign'] || me.may['groups.update'])
  const pick = (u: Schemas['User'], yes: boolean) => {
    const next = new Map(picked)
    if (yes) next.set(u.user_name, u.display_name)
    else next.delete(u.user_name)
    setPicked(next)
  }
  const pickAll = async () => {
    const all = await fetchAll({
      q: search.q,
      status: search.status as StatusWord | undefined,
      unit: search.unit,
      group: search.group,
      filter: search.filter,
    })
    setPicked(new Map(all.map((p) => [p.user_name, p.label])))
  }
  const rows = users.data?.pages.flatMap((p) => p.users) ?? []
  const total = users.data?.pages[0]?.total ?? 0
  const sort = search.sort ?? 'name'
  const order = (key: string) =>
    void navigate({ search: (s) => ({ ...s, sort: sort === key ? `-${key}` : key === 'name' ? undefined : key }) })

  return (
    <div className="flex h-full flex-col">
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h1>
          <Trans>Users</Trans>
        </h1>
        {me.may['users.create'] && !past && (
          <div className="flex gap-3">
            <Link to="/import" className="button-quiet">
              <Trans>Import</Trans>
            </Link>
            <Link to="/users/add" className="button">
              <Trans>Add a user</Trans>
            </Link>
          </div>
        )}
      </div>
      <p className="text-soft mt-1" role="status">
        {users.isPending
          ? t`Loading users …`
          : `${plural(total, { one: '# user', other: '# users' })}${search.unit ? t` in ${unitWords(search.unit)}` : ''}${past ? t`, at the end of ${fullDay(asOf!)}` : ''}.`}
      </p>
      <Views search={search} />
      <div className="mt-3 flex flex-wrap gap-3">
        <input
          type="search"
          className="field max-w-72"
          aria-label={t`Search users by name, user name, title or e-mail`}
          placeholder={t`Name, user name, title or e-mail`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <select
          className="field w-auto"
          aria-label={t`Status`}
          value={search.status ?? ''}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, status: e.target.value || undefined }) })}
        >
          <option value="">
            <Trans>Any status</Trans>
          </option>
          {statuses.map((s) => (
            <option key={s} value={s}>
              {s.charAt(0).toUpperCase() + s.slice(1)}
            </option>
          ))}
        </select>
        {search.unit && (
          <button type="button" className="button-quiet" onClick={() => void navigate({ search: (s) => ({ ...s, unit: undefined }) })}>
            <Trans>All units</Trans>
          </button>
        )}
        {search.group && (
          <button type="button" className="button-quiet" onClick={() => void navigate({ search: (s) => ({ ...s, group: undefined }) })}>
            <Trans>Not only {search.group}</Trans>
          </button>
        )}
        <Filter
          key={search.filter}
          text={search.filter ?? ''}
          set={(filter) => void navigate({ search: (s) => ({ ...s, filter: filter || undefined }) })}
        />
        <button type="button" className="button-quiet whitespace-nowrap" aria-expanded={building} onClick={() => setBuilding(!building)}>
          <Trans>Build a filter</Trans>
        </button>
        <div className="flex gap-3">
          <SaveAs
            list="users"
            query={{
              q: search.q,
              status: search.status,
              unit: search.unit,
              group: search.group,
              filter: search.filter,
              sort: search.sort,
              as_of: asOf,
            }}
            columns={shownKeys}
          />
          <ColumnPicker
            columns={columns}
            shown={shownKeys}
            set={(keys) => void navigate({ search: (s) => ({ ...s, columns: keys?.join(',') }) })}
          />
        </div>
      </div>
      {building && (
        <FilterBuilder
          key={`${search.filter} of ${columns.length}`}
          filter={search.filter ?? ''}
          columns={columns}
          set={(filter) => void navigate({ search: (s) => ({ ...s, filter: filter || undefined }) })}
        />
      )}
      {search.filter && !past && me.may['groups.create'] && users.data && (
        <GroupByRule filter={search.filter} revision={users.data.pages[0]!.revision} />
      )}
      {picked.size > 0 && picks && (
        <Several
          picked={[...picked].map(([user_name, label]) => ({ user_name, label }))}
          clear={() => setPicked(new Map())}
          total={total}
          all={() => void pickAll()}
          revision={users.data?.pages[0]?.revision ?? 0}
        />
      )}
      {users.error && <Trouble error={users.error} retry={() => void users.refetch()} />}
      {users.isPending && <Loading what={t`users`} />}
      {users.data && rows.length === 0 && (
        <Empty>
          {search.q || search.status || search.unit || search.group || search.filter
            ? t`No user matches. Remove a word, or choose any status.`
            : t`No users yet. Add a user, or import a list.`}
        </Empty>
      )}
      {rows.length > 0 && (
        <Rows
          shown={shown}
          rows={rows}
          sort={sort}
          order={order}
          more={users.hasNextPage && !users.isFetchingNextPage ? () => void users.fetchNextPage() : undefined}
          total={total}
          picked={picks ? picked : undefined}
          pick={pick}
        />
      )}
    </div>
  )
}

/** The filter language, for those who write it; Enter filters. */
function Filter({ text, set }: { text: string; set: (text: string) => void }) {
  const [written, setWritten] = useState(text)
  return (
    <form
      className="grow"
      onSubmit={(e) => {
        e.preventDefault()
        set(written.trim())
      }}
    >
      <input
        className="field font-mono text-sm"
        aria-label={t`Filter`}
        placeholder={t`Filter: within eq "marine" and title co "pilot"`}
        spellCheck={false}
        value={written}
        onChange={(e) => setWritten(e.target.value)}
        onBlur={() => written.trim() !== text && set(written.trim())}
      />
    </form>
  )
}

/** The rows that are in sight, of however many; the rest are fetched as one
 * scrolls towards them. */
function Rows({
  shown,
  rows,
  sort,
  order,
  more,
  total,
  picked,
  pick,
}: {
  shown: Column[]
  rows: Schemas['User'][]
  sort: string
  order: (key: string) => void
  more?: () => void
  total: number
  picked?: Map<string, string>
  pick: (u: Schemas['User'], yes: boolean) => void
}) {
  const layout = layoutOf(shown, picked !== undefined)
  const box = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- the virtualizer tells when to draw again
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 38, overscan: 12 })
  const seen = virtual.getVirtualItems()
  const last = seen[seen.length - 1]?.index ?? 0
  useEffect(() => {
    if (more && last > rows.length - 40) more()
  }, [more, last, rows.length])
  return (
    <div role="table" aria-label={t`Users`} aria-rowcount={total} className="mt-3 flex min-h-40 grow flex-col max-md:overflow-x-auto">
      <div role="rowgroup" className="max-md:min-w-160">
        <div role="row" className="border-rule grid gap-3 border-b px-2 py-2" style={layout}>
          {picked && (
            <div role="columnheader">
              <span className="sr-only">
                <Trans>Pick</Trans>
              </span>
            </div>
          )}
          {shown.map((c) => {
            const up = sort === c.key
            const down = sort === `-${c.key}`
            return (
              <div role="columnheader" key={c.key} aria-sort={up ? 'ascending' : down ? 'descending' : 'none'}>
                {c.sorts ? (
                  <button type="button" className="text-soft text-left text-sm font-semibold" onClick={() => order(c.key)}>
                    {c.label} <span aria-hidden>{up ? '↑' : down ? '↓' : ''}</span>
                  </button>
                ) : (
                  <span className="text-soft text-sm font-semibold">{c.label}</span>
                )}
              </div>
            )
          })}
        </div>
      </div>
      <div role="rowgroup" ref={box} tabIndex={0} aria-label={t`Rows`} className="min-h-0 grow overflow-y-auto max-md:min-w-160">
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {seen.map((v) => {
            const u = rows[v.index]!
            return (
              <div
                role="row"
                key={u.id}
                aria-rowindex={v.index + 1}
                className="border-rule absolute inset-x-0 top-0 grid h-9.5 items-center gap-3 border-b px-2"
                style={{ ...layout, transform: `translateY(${v.start}px)` }}
              >
                {picked && (
                  <div role="cell">
                    <input
                      type="checkbox"
                      className="block size-4.5"
                      aria-label={t`Pick ${u.display_name}`}
                      checked={picked.has(u.user_name)}
                      onChange={(e) => pick(u, e.target.checked)}
                    />
                  </div>
                )}
                {shown.map((c) => (
                  <Cell key={c.key} column={c} user={u} />
                ))}
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
}

function Cell({ column, user: u }: { column: Column; user: Schemas['User'] }) {
  switch (column.key) {
    case 'name':
      return (
        <div role="cell" className="truncate">
          <Link to="/users/$user" params={{ user: u.user_name }} className="press" title={u.display_name}>
            {u.display_name}
          </Link>
        </div>
      )
    case 'user_name':
      return (
        <div role="cell" className="truncate font-mono text-sm" title={u.user_name}>
          {u.user_name}
        </div>
      )
    case 'status':
      return (
        <div role="cell">
          <StatusText user={u} />
        </div>
      )
    case 'title':
      return (
        <div role="cell" className="truncate" title={u.title}>
          {u.kind === 'service' ? (
            <span className="text-soft">
              <Trans>service account</Trans>
            </span>
          ) : (
            u.title
          )}
        </div>
      )
  }
  const value = valueOf(u, column)
  return (
    <div role="cell" className="truncate" title={value}>
      {value}
    </div>
  )
}

/** What a user has in a column, as people read it. */
export function valueOf(u: Schemas['User'], { key, type }: Column): string {
  switch (key) {
    case 'name':
      return u.display_name
    case 'unit':
      return unitWords(u.unit)
  }
  const value = builtInOf(u, key) || (u.custom?.[key] ?? '')
  return value && type === 'date' ? shortDay(value) : value
}

export function StatusText({ user }: { user: Pick<Schemas['User'], 'status' | 'effective'> }) {
  if (user.status === 'active' && !user.effective)
    return (
      <span className="text-brass">
        <Trans>active, outside dates</Trans>
      </span>
    )
  return (
    <span className={user.status === 'active' ? 'text-kelp' : user.status === 'departed' ? 'text-soft' : 'text-brass'}>{user.status}</span>
  )
}
