import { t } from '@lingui/core/macro'
import { linkHorizontal } from 'd3-shape'
import type { Schemas } from '../../api/client'
import { useWidth } from './useWidth'

type Node = { key: string; label: string; kind: string; column: number; row: number }

const ink: Record<string, string> = {
  user: 'var(--ink)',
  nobody: 'var(--ink)',
  group: 'var(--kelp)',
  role: 'var(--harbour)',
  included_role: 'var(--harbour)',
  permission: 'var(--brass)',
}

/** Where each thing of some ways stands: a column for how far it is from the user, the farthest
 * counting, so that every link leads to the right. */
export function layered(paths: Schemas['Path'][]): { nodes: Node[]; links: [Node, Node][]; columns: number } {
  const nodes = new Map<string, Node>()
  const links = new Map<string, [Node, Node]>()
  const of = (s: Schemas['Step'], i: number) =>
    s.outside ? t`outside ${i}` : `${s.kind === 'included_role' ? 'role' : s.kind} ${s.id ?? s.label}`
  for (let changed = true, rounds = 0; changed && rounds < 20; rounds++) {
    changed = false
    for (const p of paths)
      p.steps.forEach((s, i) => {
        const key = of(s, i)
        const before = i > 0 ? nodes.get(of(p.steps[i - 1]!, i - 1)) : undefined
        const column = Math.max(before ? before.column + 1 : 0, nodes.get(key)?.column ?? 0)
        const known = nodes.get(key)
        if (!known)
          nodes.set(key, { key, label: s.kind === 'permission' ? (s.actions ?? []).join(', ') : s.label, kind: s.kind, column, row: 0 })
        else if (known.column !== column) known.column = column
        else return
        changed = true
      })
  }
  const columns = Math.max(0, ...[...nodes.values()].map((n) => n.column)) + 1
  for (const n of nodes.values()) if (n.kind === 'permission') n.column = columns - 1
  // What leads past a column has a place of its own there, so that nothing lies over anything.
  const join = (a: Node, b: Node) => links.set(`${a.key}→${b.key}`, [a, b])
  for (const p of paths)
    p.steps.forEach((s, i) => {
      if (i === 0) return
      let a = nodes.get(of(p.steps[i - 1]!, i - 1))!
      const b = nodes.get(of(s, i))!
      const whole = `${a.key}→${b.key}`
      while (a.column + 1 < b.column) {
        const key = `${whole} ${a.column + 1}`
        const pass = nodes.get(key) ?? { key, label: '', kind: '', column: a.column + 1, row: 0 }
        nodes.set(key, pass)
        join(a, pass)
        a = pass
      }
      join(a, b)
    })
  // Each column in the order of what leads into it.
  for (let c = 0; c < columns; c++) {
    const into = (n: Node) => {
      const from = [...links.values()].filter(([, b]) => b === n).map(([a]) => a.row)
      return from.length === 0 ? 0 : from.reduce((x, y) => x + y, 0) / from.length
    }
    const here = [...nodes.values()].filter((n) => n.column === c)
    const order = new Map(here.map((n) => [n, into(n)]))
    here.sort((a, b) => order.get(a)! - order.get(b)!).forEach((n, row) => (n.row = row))
  }
  return { nodes: [...nodes.values()], links: [...links.values()], columns }
}

const step = 46

/** The ways to one thing as a graph, where there are several; each is told in full below it. */
export function WaysGraph({ paths }: { paths: Schemas['Path'][] }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const { nodes, links, columns } = layered(paths)
  const most = Math.max(...nodes.map((n) => n.row)) + 1
  const height = most * step + 8
  const wide = (width - 16) / columns
  const box = Math.min(170, wide - 26)
  const left = (n: Node) => 8 + n.column * wide
  const inColumn = (c: number) => nodes.filter((n) => n.column === c).length
  const middle = (n: Node) => ((n.row + 0.5) * height) / inColumn(n.column)
  const link = linkHorizontal<unknown, [number, number]>()
  const short = (text: string) => (text.length > box / 7 ? `${text.slice(0, Math.max(3, Math.floor(box / 7) - 1))}…` : text)
  return (
    <div ref={ref} className="print:hidden">
      <svg
        width={width}
        height={height}
        role="img"
        aria-label={t`${paths.length} ways, as a graph; each is told below`}
        className="mt-2 block"
      >
        {links.map(([a, b]) => (
          <path
            key={`${a.key} ${b.key}`}
            d={link({ source: [left(a) + box, middle(a)], target: [left(b), middle(b)] }) ?? ''}
            fill="none"
            stroke="var(--soft)"
            strokeWidth={1.5}
          />
        ))}
        {nodes
          .filter((n) => n.kind === '')
          .map((n) => (
            <line key={n.key} x1={left(n)} x2={left(n) + box} y1={middle(n)} y2={middle(n)} stroke="var(--soft)" strokeWidth={1.5} />
          ))}
        {nodes
          .filter((n) => n.kind !== '')
          .map((n) => (
            <g key={n.key} transform={`translate(${left(n)},${middle(n) - 15})`}>
              <title>{n.label}</title>
              <rect width={box} height={30} rx={4} fill="var(--sheet)" stroke={ink[n.kind] ?? 'var(--soft)'} strokeWidth={1.5} />
              <text x={8} y={20} fontSize="13" fill="var(--ink)">
                {short(n.label)}
              </text>
            </g>
          ))}
      </svg>
    </div>
  )
}
