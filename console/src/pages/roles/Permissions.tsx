import { useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState, type KeyboardEvent } from 'react'
import { answer, api, type Operation, type Schemas } from '../../api/client'
import { Mark } from '../../shared/Mark'
import { covers, fenced } from '../../shared/pattern'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { count, list } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { Covered } from '../applications/Covered'

type Role = Schemas['Role']
type Permission = Schemas['Permission']

/** What a role permits: its permissions one by one, and as a grid of resources
 * and actions in which they are given and taken. */
export function Permissions({ role: r }: { role: Role }) {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const writes = !past && !!me.may['roles.update']
  const applications = useQuery({ queryKey: ['applications', asOf], queryFn: () => answer(api.GET('/api/v1/applications', { params: { query: { as_of: asOf } } })) })
  const [chosen, setChosen] = useState<string>()
  const all = applications.data?.applications ?? []
  const application = r.application?.key ?? chosen ?? r.permissions?.[0]?.application.key ?? all.find((a) => a.key !== 'able-roster')?.key
  return (
    <>
      {(r.permissions ?? []).length === 0 ? (
        <Empty>Nothing yet: whoever holds it can do no more than before. Point at cells below, or write a pattern.</Empty>
      ) : (
        <table className="register">
          <thead>
            <tr>
              <th>Application</th>
              <th>May</th>
              <th>On</th>
              <th>Carried by</th>
              <th>
                <span className="sr-only">Alter</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {r.permissions!.map((p) => (
              <tr key={p.id}>
                <td>{p.application.label}</td>
                <td>{p.actions.includes('*') ? 'everything' : list(p.actions)}</td>
                <td>
                  <PathText path={p.pattern} />
                  {p.own && <span className="text-soft text-sm"> only their own</span>}
                </td>
                <td className="text-soft">{p.role.id === r.id ? 'itself' : p.role.label}</td>
                <td className="text-right">
                  {writes && p.role.id === r.id && (
                    <button
                      type="button"
                      className="press text-sm"
                      aria-label={`Take away ${list(p.actions)} ${p.pattern}`}
                      onClick={() =>
                        sheet.add(
                          { verb: 'Take from', what: r.label, detail: `${list(p.actions)} ${p.pattern}`, operations: [{ op: 'remove_permission', permission: p.id } as Operation] },
                          r.revision,
                        )
                      }
                    >
                      Take away
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {!r.application && all.length > 0 && (
        <label className="mt-5 block max-w-80">
          Grid of
          <select className="field" value={application} onChange={(e) => setChosen(e.target.value)}>
            {all.map((a) => (
              <option key={a.id} value={a.key}>
                {a.label}
              </option>
            ))}
          </select>
        </label>
      )}
      {application && <OfApplication key={application} role={r} application={application} writes={writes} />}
    </>
  )
}

function OfApplication({ role: r, application, writes }: { role: Role; application: string; writes: boolean }) {
  const { asOf } = useDay()
  const one = useQuery({
    queryKey: ['application', application, asOf],
    queryFn: () => answer(api.GET('/api/v1/applications/{application}', { params: { path: { application }, query: { as_of: asOf } } })),
  })
  if (one.error) return <Trouble error={one.error} retry={() => void one.refetch()} />
  if (!one.data) return <Loading what={application} />
  return (
    <>
      <Grid role={r} application={one.data} writes={writes} />
      {writes && <ByPattern role={r} application={one.data} />}
    </>
  )
}

/** How a role holds one cell. */
type Holds = { how: 'own' | 'wider' | 'included' | 'fenced' | 'none'; by?: Permission }

function holds(r: Role, here: Permission[], fences: Schemas['Fence'][], action: string, path: string): Holds {
  let best: Holds = { how: 'none' }
  for (const p of here) {
    if (!p.actions.includes('*') && !p.actions.includes(action)) continue
    if (!covers(p.pattern, path)) continue
    if (fenced(fences, p.pattern, action, path)) {
      if (best.how === 'none') best = { how: 'fenced', by: p }
      continue
    }
    if (p.role.id !== r.id) {
      if (best.how === 'none' || best.how === 'fenced') best = { how: 'included', by: p }
      continue
    }
    if (p.pattern === path && !p.own) return { how: 'own', by: p }
    best = { how: 'wider', by: p }
  }
  return best
}

function Grid({ role: r, application: a, writes }: { role: Role; application: Schemas['Application']; writes: boolean }) {
  const sheet = useSheet()
  const box = useRef<HTMLDivElement>(null)
  const [turned, setTurned] = useState<Record<string, boolean>>({}) // "action path": what it shall be
  const [at, setAt] = useState({ row: 0, column: 0 })
  const rows = (a.resources ?? []).filter((x) => !x.retired)
  const here = (r.permissions ?? []).filter((p) => p.application.id === a.id)
  // eslint-disable-next-line react-hooks/incompatible-library -- measured on every draw
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => box.current, estimateSize: () => 30, overscan: 16 })
  const columns = { gridTemplateColumns: `minmax(16rem, 1fr) repeat(${a.actions.length}, 5.5rem)` }
  const keys: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], PageDown: [12, 0], PageUp: [-12, 0] }
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
  const turn = (path: string, action: string, x: Holds) => {
    const key = `${action} ${path}`
    const now = x.how === 'own'
    if (x.how === 'wider' || x.how === 'included') return // comes from elsewhere: take it away there
    const rest = { ...turned }
    if (rest[key] === undefined) rest[key] = !now
    else delete rest[key]
    setTurned(rest)
  }
  const put = () => {
    const operations: unknown[] = []
    const given = new Map<string, string[]>()
    const takenFrom = new Map<Permission, string[]>()
    for (const [key, shall] of Object.entries(turned)) {
      const action = key.slice(0, key.indexOf(' '))
      const path = key.slice(key.indexOf(' ') + 1)
      if (shall) given.set(path, [...(given.get(path) ?? []), action])
      else {
        const p = holds(r, here, a.fences ?? [], action, path).by!
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
    sheet.add({ verb: 'Alter', what: `what ${r.label} permits`, detail: `${count(Object.keys(turned).length, 'cell')} in ${a.label}`, operations: operations as Operation[] }, r.revision)
    setTurned({})
  }
  const altered = Object.keys(turned).length
  return (
    <section aria-label={`Permissions in ${a.label}`} className="mt-5">
      <div className="flex flex-wrap items-center gap-x-5 text-sm">
        <span>
          <Mark name="direct" /> its own
        </span>
        <span>
          <Mark name="group" /> by a wider pattern
        </span>
        <span>
          <Mark name="included" /> through an included role
        </span>
        <span>
          <Mark name="fenced" /> fenced
        </span>
        {writes && (
          <button type="button" className="button ml-auto" disabled={altered === 0} onClick={put}>
            Put {count(altered, 'cell')} on the sheet
          </button>
        )}
      </div>
      <div ref={box} className="border-rule mt-2 max-h-[52vh] overflow-auto border" tabIndex={-1}>
        <div role="grid" aria-label={`What ${r.label} permits in ${a.label}`} aria-rowcount={rows.length + 1} onKeyDown={onKey}>
          <div role="row" className="bg-paper border-rule sticky top-0 z-10 grid border-b" style={columns}>
            <div role="columnheader" className="text-soft px-2 py-1 text-sm font-semibold">Resource</div>
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
                <div key={x.id} role="row" aria-rowindex={item.index + 2} className="border-rule absolute inset-x-0 grid h-[30px] border-b" style={{ ...columns, transform: `translateY(${item.start}px)` }}>
                  <div role="rowheader" className="truncate px-2 py-1" style={{ paddingLeft: `${x.path === '/' ? 0.5 : x.path.split('/').length * 0.9}rem` }}>
                    <PathText path={x.path} />
                  </div>
                  {a.actions.map((y, j) => {
                    const state = holds(r, here, a.fences ?? [], y.key, x.path)
                    const shall = turned[`${y.key} ${x.path}`]
                    const here2 = at.row === item.index && at.column === j
                    return (
                      <div key={y.key} role="gridcell" className={shall === undefined ? '' : 'bg-open'}>
                        <button
                          type="button"
                          data-cell={`${item.index}-${j}`}
                          tabIndex={here2 ? 0 : -1}
                          className="block size-full text-center"
                          aria-label={`${y.key} ${x.path}: ${cellWords(state, shall)}`}
                          title={cellWords(state, shall)}
                          onFocus={() => setAt({ row: item.index, column: j })}
                          onClick={() => writes && turn(x.path, y.key, state)}
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
            })}
          </div>
        </div>
      </div>
    </section>
  )
}

function cellWords(x: Holds, shall: boolean | undefined): string {
  if (shall === true) return 'to be given'
  if (shall === false) return 'to be taken'
  switch (x.how) {
    case 'own':
      return 'its own'
    case 'wider':
      return `by ${x.by!.pattern}${x.by!.own ? ', only their own' : ''}`
    case 'included':
      return `through ${x.by!.role.label}`
    case 'fenced':
      return `fenced: ${x.by!.pattern} is written for something wider`
  }
  return 'not permitted'
}

function ByPattern({ role: r, application: a }: { role: Role; application: Schemas['Application'] }) {
  const sheet = useSheet()
  const empty = { pattern: '', own: false, actions: [] as string[] }
  const [x, setX] = useState(empty)
  return (
    <form
      aria-label="Permit by a pattern"
      className="mt-5 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        const operation = { op: 'add_permission', role: r.key, application: a.key, actions: x.actions, pattern: x.pattern.trim(), own: x.own || undefined } as Operation
        sheet.add({ verb: 'Let', what: `${r.label} ${x.actions.includes('*') ? 'do everything on' : list(x.actions)} ${x.pattern.trim()}`, detail: a.label, operations: [operation] }, r.revision)
        setX(empty)
      }}
    >
      <h2>By a pattern</h2>
      <input className="field mt-1 font-mono" aria-label="Pattern" placeholder="berths/north-*" value={x.pattern} onChange={(e) => setX({ ...x, pattern: e.target.value })} />
      <Covered application={a.key} pattern={x.pattern} />
      <div className="mt-1 flex flex-wrap gap-x-5">
        {['*', ...a.actions.map((y) => y.key)].map((k) => (
          <label key={k} className="flex gap-2">
            <input type="checkbox" checked={x.actions.includes(k)} onChange={(e) => setX({ ...x, actions: e.target.checked ? [...x.actions, k] : x.actions.filter((y) => y !== k) })} />
            {k === '*' ? 'everything, later words too' : k}
          </label>
        ))}
        <label className="flex gap-2">
          <input type="checkbox" checked={x.own} onChange={(e) => setX({ ...x, own: e.target.checked })} />
          only what is their own
        </label>
      </div>
      <button type="submit" className="button-quiet mt-2" disabled={x.pattern.trim() === '' || x.actions.length === 0}>
        Put on the sheet
      </button>
    </form>
  )
}
