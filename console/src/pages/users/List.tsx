import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef, useState } from 'react'
import { answer, api, type Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { count, fullDay, unitWords } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'

const route = getRouteApi('/shell/users')

const statuses = ['active', 'invited', 'suspended', 'departed'] as const
type StatusWord = (typeof statuses)[number]

const columns = [
  { key: 'name', label: 'Name' },
  { key: 'user_name', label: 'User name' },
  { key: 'title', label: 'Title' },
  { key: 'unit', label: 'Unit' },
  { key: 'status', label: 'Status' },
] as const

const cells = 'grid grid-cols-[1.4fr_1.2fr_1.1fr_1.3fr_0.7fr] gap-3 px-2'

/** The register of users. */
export function UserList() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const me = useMe()
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
    queryKey: ['users', search, asOf],
    placeholderData: keepPreviousData,
    initialPageParam: '',
    getNextPageParam: (last: Schemas['UserList']) => last.next,
    queryFn: ({ pageParam }) =>
      answer(
        api.GET('/api/v1/users', {
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
              cursor: pageParam || undefined,
            },
          },
        }),
      ),
  })
  const rows = users.data?.pages.flatMap((p) => p.users) ?? []
  const total = users.data?.pages[0]?.total ?? 0
  const sort = search.sort ?? 'name'
  const order = (key: string) => void navigate({ search: (s) => ({ ...s, sort: sort === key ? `-${key}` : key === 'name' ? undefined : key }) })

  return (
    <div className="flex h-full flex-col">
      <div className="flex items-baseline justify-between gap-4">
        <h1>Users</h1>
        {me.may['users.create'] && !past && (
          <Link to="/users/add" className="button">
            Add a user
          </Link>
        )}
      </div>
      <p className="text-soft mt-1" role="status">
        {users.isPending ? 'Reading the register …' : `${count(total, 'user')}${search.unit ? ` in ${unitWords(search.unit)}` : ''}${past ? `, at the end of ${fullDay(asOf!)}` : ''}.`}
      </p>
      <div className="mt-3 flex gap-3">
        <input
          type="search"
          className="field max-w-90"
          aria-label="Search users by name, user name, title or e-mail"
          placeholder="Name, user name, title or e-mail"
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
        <select
          className="field w-auto"
          aria-label="Status"
          value={search.status ?? ''}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, status: e.target.value || undefined }) })}
        >
          <option value="">Any status</option>
          {statuses.map((s) => (
            <option key={s} value={s}>
              {s.charAt(0).toUpperCase() + s.slice(1)}
            </option>
          ))}
        </select>
        {search.unit && (
          <button type="button" className="button-quiet" onClick={() => void navigate({ search: (s) => ({ ...s, unit: undefined }) })}>
            All units
          </button>
        )}
        {search.group && (
          <button type="button" className="button-quiet" onClick={() => void navigate({ search: (s) => ({ ...s, group: undefined }) })}>
            Not only {search.group}
          </button>
        )}
        <Filter key={search.filter} text={search.filter ?? ''} set={(filter) => void navigate({ search: (s) => ({ ...s, filter: filter || undefined }) })} />
      </div>
      {users.error && <Trouble error={users.error} retry={() => void users.refetch()} />}
      {users.isPending && <Loading what="users" />}
      {users.data && rows.length === 0 && (
        <Empty>
          {search.q || search.status || search.unit || search.group || search.filter ? 'Nobody fits that. Take a word away, or choose any status.' : 'Nobody is here yet. Add a user, or import a personnel list with roster users import.'}
        </Empty>
      )}
      {rows.length > 0 && (
        <Rows rows={rows} sort={sort} order={order} more={users.hasNextPage && !users.isFetchingNextPage ? () => void users.fetchNextPage() : undefined} total={total} />
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
        aria-label="Filter"
        placeholder='Filter: within eq "marine" and title co "pilot"'
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
function Rows({ rows, sort, order, more, total }: { rows: Schemas['User'][]; sort: string; order: (key: string) => void; more?: () => void; total: number }) {
  const box = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- the virtualizer tells when to draw again
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 38, overscan: 12 })
  const seen = virtual.getVirtualItems()
  const last = seen[seen.length - 1]?.index ?? 0
  useEffect(() => {
    if (more && last > rows.length - 40) more()
  }, [more, last, rows.length])
  return (
    <div role="table" aria-label="Users" aria-rowcount={total} className="mt-3 flex min-h-40 grow flex-col">
      <div role="rowgroup">
        <div role="row" className={`${cells} border-rule border-b py-2`}>
          {columns.map((c) => {
            const up = sort === c.key
            const down = sort === `-${c.key}`
            return (
              <div role="columnheader" key={c.key} aria-sort={up ? 'ascending' : down ? 'descending' : 'none'}>
                <button type="button" className="text-soft text-sm font-semibold" onClick={() => order(c.key)}>
                  {c.label} <span aria-hidden>{up ? '↑' : down ? '↓' : ''}</span>
                </button>
              </div>
            )
          })}
        </div>
      </div>
      <div role="rowgroup" ref={box} tabIndex={0} aria-label="Rows" className="min-h-0 grow overflow-y-auto">
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {seen.map((v) => {
            const u = rows[v.index]!
            return (
              <div
                role="row"
                key={u.id}
                aria-rowindex={v.index + 1}
                className={`${cells} border-rule absolute inset-x-0 top-0 h-9.5 items-center border-b`}
                style={{ transform: `translateY(${v.start}px)` }}
              >
                <div role="cell" className="truncate">
                  <Link to="/users/$user" params={{ user: u.user_name }} className="press" title={u.display_name}>
                    {u.display_name}
                  </Link>
                </div>
                <div role="cell" className="truncate font-mono text-sm" title={u.user_name}>
                  {u.user_name}
                </div>
                <div role="cell" className="truncate">
                  {u.kind === 'service' ? <span className="text-soft">service account</span> : u.title}
                </div>
                <div role="cell" className="truncate">
                  {unitWords(u.unit)}
                </div>
                <div role="cell">
                  <StatusText user={u} />
                </div>
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
}

export function StatusText({ user }: { user: Pick<Schemas['User'], 'status' | 'effective'> }) {
  if (user.status === 'active' && !user.effective) return <span className="text-brass">active, outside dates</span>
  return <span className={user.status === 'active' ? 'text-kelp' : user.status === 'departed' ? 'text-soft' : 'text-brass'}>{user.status}</span>
}
