import type { Schemas } from '../../api/client'
import { spanWords } from './TimelineChart'

/** The timeline as a list: each role, each time it was held, and what began it. */
export function TimelineList({ life }: { life: Schemas['RoleTimeline'] }) {
  return (
    <ul className="mt-1">
      {life.roles.map((r) => (
        <li key={r.role.id ?? r.role.label} className="border-rule border-b py-1.5">
          <details>
            <summary>
              <strong>{r.role.label}</strong> <span className="text-soft text-sm">{r.application?.label}</span>
            </summary>
            <ul className="text-soft my-1 ml-4 text-sm">
              {r.spans.map((s, i) => (
                <li key={i}>{spanWords(s)}</li>
              ))}
            </ul>
          </details>
        </li>
      ))}
    </ul>
  )
}
