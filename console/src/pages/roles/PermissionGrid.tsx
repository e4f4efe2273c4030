import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useMemo, useRef, useState, type KeyboardEvent, type MouseEvent, type SyntheticEvent } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { useSheet } from '../../shell/sheet'
import { holds } from './holds'
import { PermissionRow } from './PermissionRow'

type Permission = Schemas['Permission']

const nothing: Record<string, boolean> = {}

/** What a role permits in an application, as a grid of resources and actions in
 * which cells are given and taken. */
export function PermissionGrid({
  role: r,
  application: a,
  writes,
}: {
  role: Schemas['Role']
  application: Schemas['Application']
  writes: boolean
}) {
  const sheet = useSheet()
  const box = useRef<HTMLDivElement>(null)
  const [turned, setTurned] = useState<Record<string, boolean>>({}) // "action path": what it shall be
  const [at, setAt] = useState({ row: 0, column: 0 })
  const rows = (a.resources ?? []).filter((x) => !x.retired)
  const here = (r.permissions ?? []).filter((p) => p.application.id === a.id)
  // eslint-disable-next-line react-hooks/incompatible-library -- measured on every draw
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 30, overscan: 10 })
  const columns = `minmax(16rem, 1fr) repeat(${a.actions.length}, 5.5rem)`
  const keys: Record<string, [number, number]> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    PageDown: [12, 0],
    PageUp: [-12, 0],
  }
  const onKey = (e: KeyboardEvent) => {
    const move = keys[e.key]
    if (!move) return
    e.preventDefault()
    const row = Math.max(0, Math.min(rows.length - 1, at.row + move[0]))
    const column = Math.max(0, Math.min(a.actions.length - 1, at.column + move[1]))
    setAt({ row, column })
    const cell = () => box.current?.querySelector<HTMLElement>(`[data-cell="${row}-${column}"]`)
    virtual.scrollToIndex(row)
    if (cell()) cell()!.focus()
    else requestAnimationFrame(() => cell()?.focus()) // once it is drawn
  }
  const cellOf = (e: SyntheticEvent) => (e.target as HTMLElement).closest<HTMLElement>('[data-cell]')?.dataset.cell?.split('-').map(Number)
  const turn = (e: MouseEvent) => {
    const cell = cellOf(e)
    if (!cell || !writes) return
    const path = rows[cell[0]!]!.path
    const action = a.actions[cell[1]!]!.key
    const x = holds(r.id, here, a.fences ?? [], action, path)
    const key = `${action} ${path}`
    const now = x.how === 'own'
    if (x.how === 'wider' || x.how === 'included') return // comes from elsewhere: take it away there
    const rest = { ...turned }
    if (rest[key] === undefined) rest[key] = !now
    else delete rest[key]
    setTurned(rest)
  }
  const put = () => {
    const operations: Operation[] = []
    const given = new Map<string, string[]>()
    const takenFrom = new Map<Permission, string[]>()
    for (const [key, shall] of Object.entries(turned)) {
      const action = key.slice(0, key.indexOf(' '))
      const path = key.slice(key.indexOf(' ') + 1)
      if (shall) given.set(path, [...(given.get(path) ?? []), action])
      else {
        const p = holds(r.id, here, a.fences ?? [], action, path).by!
        takenFrom.set(p, [...(takenFrom.get(p) ?? []), action])
      }
    }
    for (const [p, actions] of takenFrom) {
      operations.push({ op: 'remove_permission', permission: p.id })
      const all = p.actions.includes('*') ? a.actions.map((x) => x.key) : p.actions
      const rest = all.filter((x) => !actions.includes(x))
      if (rest.length > 0) given.set(p.pattern, [...(given.get(p.pattern) ?? []), ...rest])
    }
    for (const [pattern, actions] of given) operations.push({ op: 'add_permission', role: r.key, application: a.key, actions, pattern })
    sheet.add(
      {
        verb: t`Edit`,
        what: t`what ${r.label} permits`,
        detail: t`${plural(Object.keys(turned).length, { one: '# cell', other: '# cells' })} in ${a.label}`,
        operations: operations,
      },
      r.revision,
    )
    setTurned({})
  }
  const altered = Object.keys(turned).length
  const turnedBy = useMemo(() => {
    const by = new Map<string, Record<string, boolean>>()
    for (const [key, shall] of Object.entries(turned)) {
      const path = key.slice(key.indexOf(' ') + 1)
      by.set(path, { ...by.get(path), [key.slice(0, key.indexOf(' '))]: shall })
    }
    return by
  }, [turned])
  return (
    <section aria-label={t`Permissions in ${a.label}`} className="mt-5">
      <div className="flex flex-wrap items-center gap-x-5 text-sm">
        <span>
          <Trans>
            <Mark name="direct" /> its own
          </Trans>
        </span>
        <span>
          <Trans>
            <Mark name="group" /> by a wider pattern
          </Trans>
        </span>
        <span>
          <Trans>
            <Mark name="included" /> through an included role
          </Trans>
        </span>
        <span>
          <Trans>
            <Mark name="fenced" /> fenced
          </Trans>
        </span>
        {writes && (
          <button type="button" className="button ml-auto" disabled={altered === 0} onClick={put}>
            <Trans>Add {plural(altered, { one: '# cell', other: '# cells' })} to change sheet</Trans>
          </button>
        )}
      </div>
      <div ref={box} className="border-rule mt-2 max-h-[52vh] overflow-auto border" tabIndex={-1}>
        <div
          role="grid"
          aria-label={t`What ${r.label} permits in ${a.label}`}
          aria-rowcount={rows.length + 1}
          onKeyDown={onKey}
          onClick={turn}
          onFocus={(e) => {
            const cell = cellOf(e)
            if (cell) setAt({ row: cell[0]!, column: cell[1]! })
          }}
        >
          <div role="row" className="bg-paper border-rule sticky top-0 z-10 grid border-b" style={{ gridTemplateColumns: columns }}>
            <div role="columnheader" className="text-soft px-2 py-1 text-sm font-semibold">
              <Trans>Resource</Trans>
            </div>
            {a.actions.map((x) => (
              <div key={x.key} role="columnheader" className="text-soft truncate px-1 py-1 text-center text-sm font-semibold">
                {x.key}
              </div>
            ))}
          </div>
          <div role="rowgroup" className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((item) => {
              const x = rows[item.index]!
              return (
                <PermissionRow
                  key={x.id}
                  index={item.index}
                  path={x.path}
                  start={item.start}
                  columns={columns}
                  role={r}
                  application={a}
                  turned={turnedBy.get(x.path) ?? nothing}
                  focus={at.row === item.index ? at.column : -1}
                />
              )
            })}
          </div>
        </div>
      </div>
    </section>
  )
}
