import { useQuery } from '@tanstack/react-query'
import { Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'
import { ask } from '../../api/ask'

const ways = [
  { key: 'direct', word: 'given directly', ink: 'bg-ink' },
  { key: 'request', word: 'requested', ink: 'bg-harbour' },
  { key: 'default', word: 'by default', ink: 'bg-brass' },
  { key: 'group', word: 'through a group', ink: 'bg-kelp' },
  { key: 'everybody', word: 'as everybody', ink: 'bg-soft' },
] as const

/** How many people had anything in an application over the last year, by how. */
export function OverTime({ application }: { application: string }) {
  const over = useQuery({
    ...ask('/api/v1/applications/{application}/over-time', { params: { path: { application }, query: { points: 13 } } }),
  })
  if (over.error) return <Trouble error={over.error} retry={() => void over.refetch()} />
  if (!over.data) return <Loading what="the last year" />
  const most = Math.max(1, ...over.data.points.map((p) => p.all))
  return (
    <section aria-label="People with access over time" className="mt-6">
      <h2>People with access over time</h2>
      <ul className="mt-1 flex flex-wrap gap-x-5 text-sm" aria-label="Legend">
        {ways.map((w) => (
          <li key={w.key}>
            <span aria-hidden className={`${w.ink} mr-1.5 inline-block size-2.5 rounded-sm`} />
            {w.word}
          </li>
        ))}
      </ul>
      <div aria-hidden className="border-rule mt-2 flex h-44 items-end gap-2 border-b">
        {over.data.points.map((p) => (
          <div key={p.at} className="flex h-full grow flex-col justify-end" title={`${shortDay(p.at)}: ${p.all} people`}>
            <div className="text-soft text-center text-sm">{p.all}</div>
            {ways
              .filter((w) => (p.ways[w.key] ?? 0) > 0)
              .map((w) => (
                <div key={w.key} className={w.ink} style={{ height: `${(78 * p.ways[w.key]!) / most}%` }} />
              ))}
          </div>
        ))}
      </div>
      <div aria-hidden className="text-soft flex gap-2 text-sm">
        {over.data.points.map((p) => (
          <div key={p.at} className="grow basis-0 text-center">
            {shortDay(p.at).split(' ')[1]}
          </div>
        ))}
      </div>
      <table className="sr-only">
        <caption>People with access over time</caption>
        <thead>
          <tr>
            <th>Day</th>
            <th>People</th>
            {ways.map((w) => (
              <th key={w.key}>{w.word}</th>
            ))}
          </tr>
        </thead>
        <tbody>
          {over.data.points.map((p) => (
            <tr key={p.at}>
              <td>{shortDay(p.at)}</td>
              <td>{p.all}</td>
              {ways.map((w) => (
                <td key={w.key}>{p.ways[w.key] ?? 0}</td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}
