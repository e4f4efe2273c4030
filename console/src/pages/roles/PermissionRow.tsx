import { memo, useMemo } from 'react'
import type { Schemas } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { cellWords, holds } from './holds'

/** One resource of the grid of what a role permits. It is drawn again only when
 * something of it changed, and not for others that scroll by. */
export const PermissionRow = memo(function PermissionRow({
  index,
  path,
  start,
  columns,
  role: r,
  application: a,
  turned,
  focus,
}: {
  index: number
  path: string
  start: number // pixels from the top
  columns: string
  role: Schemas['Role']
  application: Schemas['Application']
  turned: Record<string, boolean> // by action: what it shall be
  focus: number // the column that has the keyboard, -1 for none
}) {
  const states = useMemo(() => {
    const here = (r.permissions ?? []).filter((p) => p.application.id === a.id)
    return a.actions.map((y) => holds(r.id, here, a.fences ?? [], y.key, path))
  }, [r, a, path])
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      className="border-rule absolute inset-x-0 grid h-[30px] border-b"
      style={{ gridTemplateColumns: columns, transform: `translateY(${start}px)` }}
    >
      <div
        role="rowheader"
        className="truncate px-2 py-1"
        style={{ paddingLeft: `${path === '/' ? 0.5 : path.split('/').length * 0.9}rem` }}
      >
        <PathText path={path} />
      </div>
      {a.actions.map((y, j) => {
        const state = states[j]!
        const shall = turned[y.key]
        const words = cellWords(state, shall)
        return (
          <div key={y.key} role="gridcell" className={shall === undefined ? '' : 'bg-open'}>
            <button
              type="button"
              data-cell={`${index}-${j}`}
              tabIndex={focus === j ? 0 : -1}
              className="block size-full text-center"
              aria-label={`${y.key} ${path}: ${words}`}
              title={words}
            >
              {shall === true && <span className="text-kelp font-bold">+</span>}
              {shall === false && <span className="text-brick font-bold">−</span>}
              {shall === undefined && state.how === 'own' && <Mark name="direct" />}
              {shall === undefined && state.how === 'wider' && <Mark name="group" />}
              {shall === undefined && state.how === 'included' && <Mark name="included" />}
              {shall === undefined && state.how === 'fenced' && <Mark name="fenced" />}
            </button>
          </div>
        )
      })}
    </div>
  )
})
