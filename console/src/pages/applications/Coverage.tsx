import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState } from 'react'
import type { Schemas } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { useDay } from '../../shell/day'
import { Compare } from './Compare'
import { ask } from '../../api/ask'

/** For each resource and action which roles reach it, what nothing reaches, and
 * what everybody does. */
export function Coverage({ application: a, writes }: { application: Schemas['Application']; writes: boolean }) {
  const { asOf } = useDay()
  const [only, setOnly] = useState(false)
  const [comparing, setComparing] = useState(false)
  const coverage = useQuery({
    ...ask('/api/v1/applications/{application}/coverage', { params: { path: { application: a.key }, query: { as_of: asOf } } }),
  })
  if (coverage.error) return <Trouble error={coverage.error} retry={() => void coverage.refetch()} />
  if (!coverage.data) return <Loading what={t`who reaches what`} />
  const c = coverage.data
  const rows = only ? c.rows.filter((r) => r.cells.some((x) => !x.roles?.length)) : c.rows
  return (
    <>
      <div className="my-1 flex flex-wrap items-center gap-5">
        <p>
          <Trans>
            <strong>{plural(c.unreached, { one: '# cell', other: '# cells' })}</strong> not covered by any role,{' '}
            <strong>{c.everybody}</strong> everybody does.
          </Trans>
          {c.outside && t` Roles that you may not see may cover more.`}
        </p>
        <label className="flex gap-2">
          <input type="checkbox" checked={only} onChange={(e) => setOnly(e.target.checked)} />
          <Trans>Only where something is not covered</Trans>
        </label>
        {writes && (
          <button type="button" className="press" aria-expanded={comparing} onClick={() => setComparing(!comparing)}>
            <Trans>Compare with its own list</Trans>
          </button>
        )}
      </div>
      {comparing && <Compare application={a} />}
      {rows.length === 0 ? (
        <Empty>
          <Trans>Every cell is covered by a role.</Trans>
        </Empty>
      ) : (
        <Table coverage={c} rows={rows} />
      )}
    </>
  )
}

function Table({ coverage: c, rows }: { coverage: Schemas['Coverage']; rows: Schemas['CoverageRow'][] }) {
  const box = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- measured on every draw
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 40, overscan: 12 })
  const columns = { gridTemplateColumns: `minmax(13rem, 1.3fr) repeat(${c.actions.length}, minmax(8rem, 1fr))` }
  return (
    <div ref={box} role="region" tabIndex={0} aria-label={t`Coverage`} className="border-rule max-h-[60vh] overflow-auto border-y">
      <div role="table" aria-label={t`Coverage of ${c.application.label}`} aria-rowcount={rows.length + 1}>
        <div role="row" className="bg-paper border-rule sticky top-0 z-10 grid border-b" style={columns}>
          <div role="columnheader" className="text-soft px-2 py-1.5 text-sm font-semibold">
            <Trans>Resource</Trans>
          </div>
          {c.actions.map((a) => (
            <div key={a.key} role="columnheader" className="text-soft px-2 py-1.5 text-sm font-semibold">
              {a.key}
            </div>
          ))}
        </div>
        <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((item) => {
            const r = rows[item.index]!
            return (
              <div
                key={r.path}
                role="row"
                ref={virtual.measureElement}
                data-index={item.index}
                className="border-rule absolute inset-x-0 grid border-b"
                style={{ ...columns, transform: `translateY(${item.start}px)` }}
              >
                <div role="rowheader" className="px-2 py-1.5">
                  <PathText path={r.path} />
                  <span className="text-soft block text-sm">{r.label}</span>
                </div>
                {r.cells.map((x, i) => (
                  <div key={i} role="cell" className="px-2 py-1.5 text-sm">
                    <CellWords cell={x} roles={c.roles} />
                  </div>
                ))}
              </div>
            )
          })}
        </div>
      </div>
    </div>
  )
}

function CellWords({ cell: x, roles }: { cell: Schemas['CoverageCell']; roles: Schemas['Ref'][] }) {
  const names = (x.roles ?? []).map((n) => roles[n]!.label)
  return (
    <>
      {x.everybody && (
        <span className="text-brass block">
          <Mark name={x.everybody} /> {x.everybody === 'public' ? t`anybody` : t`every user`}
        </span>
      )}
      {names.slice(0, 3).join(', ')}
      {names.length > 3 && (
        <span title={names.slice(3).join(', ')}>
          <Trans> and {names.length - 3} more</Trans>
        </span>
      )}
      {names.length > 0 && x.own && (
        <span className="text-soft">
          <Trans>, their own</Trans>
        </span>
      )}
      {names.length === 0 && x.fenced && (
        <span className="text-brass">
          <Trans>
            <Mark name="fenced" /> fenced
          </Trans>
        </span>
      )}
      {names.length === 0 && !x.fenced && (
        <span className="text-soft">
          <Trans>no role</Trans>
        </span>
      )}
    </>
  )
}
