import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import {
  columnFilteringFeature,
  createColumnHelper,
  createFilteredRowModel,
  createSortedRowModel,
  filterFn_includesString,
  globalFilteringFeature,
  rowSelectionFeature,
  rowSortingFeature,
  sortFn_alphanumeric,
  sortFn_basic,
  tableFeatures,
  useTable,
  type RowData,
  type RowSelectionState,
} from '@tanstack/react-table'
import { useNavigate, useSearch } from '@tanstack/react-router'
import { Fragment, useMemo, useState, type ReactNode } from 'react'
import type { ListSearch } from './listSearch'
import { Empty } from './State'
import { count } from './words'

const features = tableFeatures({
  columnFilteringFeature,
  globalFilteringFeature,
  rowSortingFeature,
  rowSelectionFeature,
  filteredRowModel: createFilteredRowModel(),
  sortedRowModel: createSortedRowModel(),
  filterFns: { includesString: filterFn_includesString },
  sortFns: { alphanumeric: sortFn_alphanumeric, basic: sortFn_basic },
})

export type ListColumn<Row extends RowData> = {
  key: string
  label: string
  /** What the column is sorted by, searched and filtered for. */
  value: (row: Row) => string | number
  /** How it is shown; its value by default. */
  show?: (row: Row) => ReactNode
  /** Its values are offered to be chosen from. */
  choose?: boolean
  right?: boolean
  className?: string
}

/** A list as a table: it is searched, filtered by its columns and sorted by their heads; rows are
 * picked where there is something to do with several. What is chosen stands in the address. */
export function ListTable<Row extends RowData>({
  what,
  rows,
  columns,
  id,
  acts,
  empty,
  detail,
  opens,
  opener,
  plain = 0,
}: {
  /** What a row is, as "group". */
  what: string
  rows: Row[]
  columns: ListColumn<Row>[]
  id: (row: Row) => string
  /** What can be done with the rows that are picked. */
  acts?: (picked: Row[], clear: () => void) => ReactNode
  empty?: ReactNode
  /** What a row is opened to. */
  detail?: (row: Row) => ReactNode
  /** Which rows are open at first. */
  opens?: (row: Row) => boolean
  /** The column that is pressed to open a row; else a press of its own stands at the end. */
  opener?: string
  /** Up to so many rows the table stands alone, with nothing to search and filter it by. */
  plain?: number
}) {
  const search: ListSearch = useSearch({ strict: false })
  const navigate = useNavigate()
  const set = (to: ListSearch) => void navigate({ to: '.', search: (s: ListSearch) => ({ ...s, ...to }), replace: true })
  const [pressed, setOpen] = useState<Record<string, boolean>>({})
  const open = opens ? { ...Object.fromEntries(rows.filter(opens).map((r) => [id(r), true])), ...pressed } : pressed
  const [picked, setPicked] = useState<RowSelectionState>({})
  const sorting = search.sort ? [{ id: search.sort.replace(/^-/, ''), desc: search.sort.startsWith('-') }] : []
  const filters = (search.only?.split(',') ?? []).map((x) => {
    const [key, ...value] = x.split(':')
    return { id: key!, value: decodeURIComponent(value.join(':')) }
  })
  const defined = useMemo(() => {
    const helper = createColumnHelper<typeof features, Row>()
    return helper.columns(
      columns.map((c) =>
        helper.accessor((r) => c.value(r), {
          id: c.key,
          sortFn: rows.every((r) => typeof c.value(r) === 'number') ? 'basic' : 'alphanumeric',
          filterFn: (row, key, wanted) => String(row.getValue(key)) === wanted,
        }),
      ),
    )
  }, [columns, rows])
  const table = useTable({
    features,
    data: rows,
    columns: defined,
    getRowId: id,
    state: { sorting, columnFilters: filters, globalFilter: search.q ?? '', rowSelection: picked },
    globalFilterFn: 'includesString',
    getColumnCanGlobalFilter: () => true,
    onRowSelectionChange: setPicked,
  })
  const shown = table.getRowModel().rows
  const chosen = rows.filter((r) => picked[id(r)])
  const only = (key: string, value: string) => {
    const rest = filters.filter((f) => f.id !== key)
    const all = value === '' ? rest : [...rest, { id: key, value }]
    set({ only: all.map((f) => `${f.id}:${encodeURIComponent(String(f.value))}`).join(',') || undefined })
  }
  const all = shown.length > 0 && shown.every((r) => r.getIsSelected())
  const bare = rows.length <= plain && !search.q && filters.length === 0
  const toggle = (row: string) => setOpen({ ...pressed, [row]: !open[row] })
  return (
    <>
      <div className={bare ? 'hidden' : 'mt-3 flex flex-wrap items-end gap-x-4 gap-y-2 print:hidden'}>
        <input
          type="search"
          className="field max-w-72"
          aria-label={t`Search ${what}s`}
          placeholder={t`Search ${what}s`}
          value={search.q ?? ''}
          onChange={(e) => set({ q: e.target.value || undefined })}
        />
        {columns
          .filter((c) => c.choose)
          .map((c) => {
            const values = [...new Set(rows.map((r) => String(c.value(r))))].filter(Boolean).sort()
            const now = String(filters.find((f) => f.id === c.key)?.value ?? '')
            if (values.length < 2 && !now) return null
            return (
              <label key={c.key} className="flex items-center gap-2">
                {c.label}
                <select className="field w-auto max-w-52" value={now} onChange={(e) => only(c.key, e.target.value)}>
                  <option value="">
                    <Trans>any</Trans>
                  </option>
                  {values.map((v) => (
                    <option key={v}>{v}</option>
                  ))}
                </select>
              </label>
            )
          })}
        <span className="text-soft" role="status">
          {shown.length < rows.length ? t`${shown.length} of ${count(rows.length, what)}` : count(rows.length, what)}
        </span>
      </div>
      {acts && chosen.length > 0 && (
        <div
          role="group"
          aria-label={t`With the ${what}s that are picked`}
          className="bg-wash mt-2 flex flex-wrap items-center gap-3 rounded-md p-2"
        >
          <span>
            <Trans>{count(chosen.length, what)} picked</Trans>
          </span>
          {acts(chosen, () => setPicked({}))}
          <button type="button" className="press text-sm" onClick={() => setPicked({})}>
            <Trans>Pick none</Trans>
          </button>
        </div>
      )}
      {shown.length === 0 &&
        (rows.length === 0 ? (
          empty
        ) : (
          <Empty>
            <Trans>Nothing matches.</Trans>
          </Empty>
        ))}
      {shown.length > 0 && (
        <table className="register mt-2">
          <thead>
            <tr>
              {acts && (
                <th className="w-8">
                  <input
                    type="checkbox"
                    aria-label={t`Pick all ${what}s shown`}
                    checked={all}
                    onChange={() => setPicked(all ? {} : Object.fromEntries(shown.map((r) => [r.id, true as const])))}
                  />
                </th>
              )}
              {columns.map((c) => {
                const order = sorting.find((s) => s.id === c.key)
                return (
                  <th
                    key={c.key}
                    aria-sort={order ? (order.desc ? 'descending' : 'ascending') : 'none'}
                    className={`${c.right ? 'text-right!' : ''} ${c.className ?? ''}`}
                  >
                    <button
                      type="button"
                      className="sort"
                      onClick={() => set({ sort: !order ? c.key : order.desc ? undefined : `-${c.key}` })}
                    >
                      {c.label} <span aria-hidden>{order ? (order.desc ? '↓' : '↑') : ''}</span>
                    </button>
                  </th>
                )
              })}
              {detail && !opener && (
                <th className="w-16">
                  <span className="sr-only">
                    <Trans>More</Trans>
                  </span>
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {shown.map((r) => (
              <Fragment key={r.id}>
                <tr className={open[r.id] ? 'bg-open [&>td]:border-b-0' : ''}>
                  {acts && (
                    <td>
                      <input
                        type="checkbox"
                        aria-label={t`Pick ${String(columns[0]!.value(r.original))}`}
                        checked={r.getIsSelected()}
                        onChange={r.getToggleSelectedHandler()}
                      />
                    </td>
                  )}
                  {columns.map((c) => (
                    <td key={c.key} className={`${c.right ? 'text-right' : ''} ${c.className ?? ''}`}>
                      {c.key === opener ? (
                        <button type="button" className="press text-left" aria-expanded={!!open[r.id]} onClick={() => toggle(r.id)}>
                          {c.show ? c.show(r.original) : c.value(r.original)}
                        </button>
                      ) : c.show ? (
                        c.show(r.original)
                      ) : (
                        c.value(r.original)
                      )}
                    </td>
                  ))}
                  {detail && !opener && (
                    <td className="text-right">
                      <button
                        type="button"
                        className="press text-sm"
                        aria-expanded={!!open[r.id]}
                        aria-label={`${open[r.id] ? t`Close` : t`Open`} ${String(columns[0]!.value(r.original))}`}
                        onClick={() => toggle(r.id)}
                      >
                        {open[r.id] ? t`Close` : t`Open`}
                      </button>
                    </td>
                  )}
                </tr>
                {detail && open[r.id] && (
                  <tr className="bg-open">
                    <td colSpan={columns.length + 2} className="pt-0!">
                      {detail(r.original)}
                    </td>
                  </tr>
                )}
              </Fragment>
            ))}
          </tbody>
        </table>
      )}
    </>
  )
}
