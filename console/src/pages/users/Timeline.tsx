import { useQuery } from '@tanstack/react-query'
import type { Schemas } from '../../api/client'
import { Empty, Loading, Trouble } from '../../shared/State'
import { count, shortDay } from '../../shared/words'
import { ask } from '../../api/ask'

const inks: Record<Schemas['TimelineSpan']['way'], string> = {
  direct: 'bg-ink',
  request: 'bg-harbour',
  default: 'bg-brass',
  group: 'bg-kelp',
}
const words: Record<Schemas['TimelineSpan']['way'], string> = {
  direct: 'given directly',
  request: 'requested',
  default: 'by default',
  group: 'through a group',
}

/** Which roles somebody held when: a line for each, along the time. */
export function Timeline({ user, now }: { user: string; now: Date }) {
  const life = useQuery(ask('/api/v1/users/{user}/timeline', { params: { path: { user } } }))
  if (life.error) return <Trouble error={life.error} retry={() => void life.refetch()} />
  if (!life.data) return <Loading what="their timeline" />
  if (life.data.roles.length === 0) return <Empty>Never held a role, except those everybody has.</Empty>
  const from = new Date(life.data.from).getTime()
  const whole = Math.max(1, now.getTime() - from)
  const place = (iso: string | undefined) => Math.max(0, Math.min(100, (100 * ((iso ? new Date(iso) : now).getTime() - from)) / whole))
  return (
    <>
      <p className="text-soft mt-2">
        {count(life.data.roles.length, 'role')} held since {shortDay(life.data.from)}, from left to right.
      </p>
      <ul className="mt-1 flex flex-wrap gap-x-5 text-sm" aria-label="Legend">
        {(Object.keys(words) as Schemas['TimelineSpan']['way'][]).map((w) => (
          <li key={w}>
            <span aria-hidden className={`${inks[w]} mr-1.5 inline-block size-2.5 rounded-sm`} />
            {words[w]}
          </li>
        ))}
      </ul>
      <ul className="mt-3">
        {life.data.roles.map((r) => (
          <li key={r.role.id ?? r.role.label} className="border-rule border-b py-1.5">
            <details>
              <summary className="grid grid-cols-[14rem_1fr] items-center gap-4">
                <span>
                  <strong>{r.role.label}</strong> <span className="text-soft text-sm">{r.application?.label}</span>
                </span>
                <span aria-hidden className="bg-wash relative block h-3 overflow-hidden rounded-sm">
                  {r.spans.map((s, i) => (
                    <span
                      key={i}
                      className={`${inks[s.way]} absolute inset-y-0 rounded-sm`}
                      style={{ left: `${place(s.from)}%`, width: `${Math.max(0.4, place(s.until) - place(s.from))}%` }}
                    />
                  ))}
                </span>
              </summary>
              <ul className="text-soft my-1 ml-4 text-sm">
                {r.spans.map((s, i) => (
                  <li key={i}>
                    {shortDay(s.from)} to {s.until ? shortDay(s.until) : 'now, without an end'}: {words[s.way]}
                    {s.group && ` ${s.group.label}`}
                    {s.default && `, rule ${s.default.label}`}
                    {s.given?.reason && `. ${s.given.by ? `${s.given.by.label}: ` : ''}${s.given.reason}`}
                  </li>
                ))}
              </ul>
            </details>
          </li>
        ))}
      </ul>
    </>
  )
}
