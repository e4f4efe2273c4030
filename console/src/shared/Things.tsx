import type { Schemas } from '../api/client'
import { PathText } from './PathText'
import { count } from './words'

/** Things somebody or some role can do, under a title. */
export function Things({ title, lines, ink }: { title: string; lines: Schemas['Entitlement'][]; ink: string }) {
  return (
    <section aria-label={title}>
      <h2 className={`border-rule border-b pb-1 font-semibold ${ink}`}>
        {title} <span className="font-normal">{count(lines.length, 'thing')}</span>
      </h2>
      <ul>
        {lines.slice(0, 200).map((l, i) => (
          <li key={i} className="border-rule border-b py-1 text-sm">
            {l.action} <PathText path={l.target} />
            {l.own && <span className="text-soft">, their own</span>}
            <span className="text-soft block">{l.application.label}</span>
          </li>
        ))}
      </ul>
      {lines.length > 200 && <p className="text-soft text-sm">and {lines.length - 200} more</p>}
    </section>
  )
}
