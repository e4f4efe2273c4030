import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useRef, useState, type KeyboardEvent } from 'react'
import type { Schemas } from '../api/client'
import { Answer } from '../shared/Answer'
import { Mark, markWords, type MarkName } from '../shared/Mark'
import { describe, NewcomerForm } from '../shared/Newcomer'
import { Empty, Loading, Trouble } from '../shared/State'
import { lastDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { ask } from '../api/ask'

const route = getRouteApi('/shell/grid')

type Cell = { row: number; column: number }

/** Users × permissions of one application. */
export function GridPage() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf } = useDay()
  const applications = useQuery(ask('/api/v1/applications', { params: { query: { as_of: asOf } } }))
  const groups = useQuery(ask('/api/v1/groups', { params: { query: { as_of: asOf } } }))
  const none = applications.data && !applications.data.applications.some((a) => a.key !== 'able-roster')
  const choices = (applications.data?.applications ?? []).filter((a) => a.key !== 'able-roster')
  const application = search.application ?? choices[0]?.key
  const wouldBe = describe(search)
  const grid = useQuery({
    enabled: !!application,
    placeholderData: keepPreviousData,
    ...ask('/api/v1/grid', {
      params: {
        query: {
          application: application!,
          group: search.group,
          q: search.q,
          would_be: wouldBe,
          status: 'active',
          as_of: asOf,
          limit: 60,
        },
      },
    }),
  })
  return (
    <>
      <h1>
        <Trans>Grid</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>Who may do what in one application. Use the arrow keys to move, and Enter to see why.</Trans>
      </p>
      <div className="mt-3 flex gap-3">
        <select
          className="field w-auto"
          aria-label={t`Application`}
          value={application ?? ''}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, application: e.target.value }) })}
        >
          {choices.map((a) => (
            <option key={a.id} value={a.key}>
              {a.label}
            </option>
          ))}
        </select>
        <select
          className="field w-auto"
          aria-label={t`Whose rows`}
          value={search.group ?? ''}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, group: e.target.value || undefined }) })}
        >
          <option value="">
            <Trans>All users</Trans>
          </option>
          {(groups.data?.groups ?? [])
            .filter((g) => !g.built_in)
            .map((g) => (
              <option key={g.id} value={g.key}>
                {g.label}
              </option>
            ))}
        </select>
        <input
          type="search"
          className="field max-w-64"
          aria-label={t`Only users with this in their name`}
          placeholder={t`Name`}
          value={search.q ?? ''}
          onChange={(e) => void navigate({ search: (s) => ({ ...s, q: e.target.value || undefined }), replace: true })}
        />
      </div>
      <details className="mt-3" open={wouldBe !== undefined}>
        <summary className="text-harbour font-medium">
          <Trans>With a would-be user among the rows</Trans>
        </summary>
        <NewcomerForm key={wouldBe} now={search} set={(x) => void navigate({ search: (s) => ({ ...s, ...x }) })} />
      </details>
      <Legend />
      {applications.error && <Trouble error={applications.error} />}
      {grid.error && <Trouble error={grid.error} retry={() => void grid.refetch()} />}
      {none && (
        <Empty>
          <Trans>No application is registered yet. The grid shows who may do what in an application.</Trans>
        </Empty>
      )}
      {grid.isPending && !grid.error && !none && <Loading what={t`the grid`} />}
      {grid.data && <Cells grid={grid.data} key={`${application} ${search.group}`} />}
      {grid.data && grid.data.rows.length <= 1 && (
        <Empty>
          <Trans>No user matches.</Trans>
        </Empty>
      )}
      {grid.data && grid.data.total > 60 && (
        <p className="text-soft mt-2">
          <Trans>
            The first 60 of {plural(grid.data.total, { one: '# user', other: '# users' })}. Choose a group or part of a name to see others.
          </Trans>
        </p>
      )}
    </>
  )
}

function Legend() {
  return (
    <ul className="mt-3 flex flex-wrap gap-x-5 text-sm" aria-label={t`Legend`}>
      {(['direct', 'default', 'group', 'included', 'all-users', 'public', 'ends', 'own', 'scheduled', 'fenced'] as MarkName[]).map((m) => (
        <li key={m}>
          <Mark name={m} /> {markWords[m]}
        </li>
      ))}
    </ul>
  )
}

function Cells({ grid }: { grid: Schemas['Grid'] }) {
  const [at, setAt] = useState<Cell>({ row: 0, column: 0 })
  const [open, setOpen] = useState<Cell>()
  const table = useRef<HTMLTableElement>(null)
  const go = (row: number, column: number) => {
    const next = { row: Math.max(0, Math.min(grid.rows.length - 1, row)), column: Math.max(0, Math.min(grid.columns.length - 1, column)) }
    setAt(next)
    table.current?.querySelector<HTMLElement>(`[data-cell="${next.row}-${next.column}"]`)?.focus()
  }
  const keys: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageDown: [10, 0],
    PageUp: [-10, 0],
  }
  const onKey = (e: KeyboardEvent) => {
    const move = keys[e.key]
    if (!move) return
    e.preventDefault()
    go(at.row + move[0], at.column + move[1])
  }
  // Columns of one resource stand under its path.
  const resources: { path: string; label: string; span: number }[] = []
  for (const c of grid.columns) {
    const last = resources[resources.length - 1]
    if (last?.path === c.path) last.span++
    else resources.push({ path: c.path, label: c.label, span: 1 })
  }
  return (
    <>
      {open && <Why grid={grid} cell={open} close={() => setOpen(undefined)} />}
      <div className="border-rule mt-3 max-h-[58vh] overflow-auto border" tabIndex={-1}>
        <table
          ref={table}
          role="grid"
          aria-label={t`Grid of ${grid.application.label}`}
          className="border-separate border-spacing-0 text-sm"
          onKeyDown={onKey}
        >
          <thead>
            <tr>
              <th
                scope="col"
                rowSpan={2}
                className="bg-paper border-rule sticky top-0 left-0 z-20 min-w-44 border-r border-b px-2 text-left align-bottom font-semibold"
              >
                <Trans>User</Trans>
              </th>
              {resources.map((r) => (
                <th
                  key={r.path}
                  scope="colgroup"
                  colSpan={r.span}
                  title={r.path}
                  className="bg-paper border-rule sticky top-0 z-10 h-7 max-w-0 truncate border-r px-1.5 text-left font-semibold"
                >
                  {r.label}
                </th>
              ))}
            </tr>
            <tr>
              {grid.columns.map((c, i) => (
                <th
                  key={i}
                  scope="col"
                  title={`${c.action} ${c.path}`}
                  className={`bg-paper text-soft border-rule sticky top-7 z-10 h-16 min-w-7 border-b p-0 align-bottom font-normal ${lastOf(grid, i) ? 'border-r' : ''}`}
                >
                  <span className="inline-block rotate-180 py-1 [writing-mode:vertical-rl]">{c.action}</span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {grid.rows.map((r, i) => (
              <tr key={r.user.id ?? r.kind} className="hover:bg-wash">
                <th
                  scope="row"
                  className="bg-paper border-rule sticky left-0 z-10 border-r border-b px-2 py-1 text-left font-normal whitespace-nowrap"
                >
                  {r.user.key ? (
                    <Link to="/users/$user" params={{ user: r.user.key }} className="press" tabIndex={-1}>
                      {r.user.label}
                    </Link>
                  ) : (
                    <span className="text-soft">{r.user.label}</span>
                  )}
                </th>
                {r.cells.map((c, j) => {
                  const column = grid.columns[j]!
                  const here = at.row === i && at.column === j
                  return (
                    <td
                      key={j}
                      className={`border-rule border-b p-0 text-center ${lastOf(grid, j) ? 'border-r' : ''} ${open?.row === i && open.column === j ? 'bg-open' : ''}`}
                    >
                      <button
                        type="button"
                        data-cell={`${i}-${j}`}
                        tabIndex={here ? 0 : -1}
                        onFocus={() => setAt({ row: i, column: j })}
                        onClick={() => setOpen({ row: i, column: j })}
                        className="relative block h-7 w-full"
                        aria-label={`${r.user.label}: ${column.action} ${column.path}: ${cellWords(c)}${c.until ? t`, until ${lastDay(c.until)}` : ''}`}
                      >
                        {c.mark && <Mark name={c.mark} />}
                        {!c.mark && c.fenced && <Mark name="fenced" />}
                        {c.until && <span className="bg-brass absolute right-0.5 bottom-0.5 size-1.5 rounded-full" />}
                        {(c.own || c.scheduled) && (
                          <span className="absolute -top-0.5 right-0 [&>svg]:size-2.5">
                            <Mark name={c.own ? 'own' : 'scheduled'} />
                          </span>
                        )}
                      </button>
                    </td>
                  )
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  )
}

function cellWords(c: Schemas['GridCell']): string {
  if (!c.mark) return c.fenced ? t`fenced` : t`not allowed`
  return markWords[c.mark as MarkName] + (c.own ? t`, only their own` : '') + (c.scheduled ? t`, at some times` : '')
}

const lastOf = (g: Schemas['Grid'], i: number) => g.columns[i + 1]?.path !== g.columns[i]?.path

/** Why one cell is as it is. */
function Why({ grid, cell, close }: { grid: Schemas['Grid']; cell: Cell; close: () => void }) {
  const { asOf } = useDay()
  const me = useMe()
  const row = grid.rows[cell.row]!
  const allowed = !!row.cells[cell.column]?.mark
  const column = grid.columns[cell.column]!
  return (
    <section aria-label={t`Why`} className="bg-open mt-3 flex justify-between gap-4 rounded-md p-3">
      <div>
        {row.kind === 'would_be' ? (
          <p>
            <Trans>What such a user would have on their first day: by default rules, and as everybody.</Trans>
          </p>
        ) : (
          <>
            <Answer
              person={row.user.label}
              ask={{ user: row.user.key, application: grid.application.key!, action: column.action, path: column.path }}
            />
            {!asOf && me.may['settings.update'] && (
              <p className="mt-2">
                <Link
                  to="/expectations"
                  search={{
                    add: 'add-an-expectation',
                    user: row.user.key,
                    nobody: row.kind === 'nobody' ? 'yes' : undefined,
                    may: allowed ? 'yes' : undefined,
                    application: grid.application.key,
                    action: column.action,
                    path: column.path,
                  }}
                  className="press"
                >
                  <Trans>Add an expectation</Trans>
                </Link>
              </p>
            )}
          </>
        )}
      </div>
      <button type="button" className="press self-start" onClick={close}>
        <Trans>Close</Trans>
      </button>
    </section>
  )
}
