import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'
import { ask } from '../../api/ask'

const Chart = lazy(() => import('./OverTimeChart').then((m) => ({ default: m.OverTimeChart })))

const ways = [
  { key: 'direct', word: t`given directly`, ink: 'bg-ink', fill: 'var(--ink)' },
  { key: 'request', word: 'requested', ink: 'bg-harbour', fill: 'var(--harbour)' },
  { key: 'share', word: 'shared', ink: 'bg-brick', fill: 'var(--brick)' },
  { key: 'default', word: t`by default`, ink: 'bg-brass', fill: 'var(--brass)' },
  { key: 'group', word: t`through a group`, ink: 'bg-kelp', fill: 'var(--kelp)' },
  { key: 'everybody', word: t`as everybody`, ink: 'bg-soft', fill: 'var(--soft)' },
] as const

/** How many people had access to an application over the last year, and through what. */
export function OverTime({ application }: { application: string }) {
  const over = useQuery({
    ...ask('/api/v1/applications/{application}/over-time', { params: { path: { application }, query: { points: 13 } } }),
  })
  if (over.error) return <Trouble error={over.error} retry={() => void over.refetch()} />
  if (!over.data) return <Loading what={t`the last year`} />
  return (
    <section aria-label={t`People with access over time`} className="mt-6">
      <h2>
        <Trans>People with access over time</Trans>
      </h2>
      <ul className="mt-1 flex flex-wrap gap-x-5 text-sm" aria-label={t`Legend`}>
        {ways.map((w) => (
          <li key={w.key}>
            <span aria-hidden className={`${w.ink} mr-1.5 inline-block size-2.5 rounded-sm`} />
            {w.word}
          </li>
        ))}
      </ul>
      <Suspense>
        <Chart points={over.data.points} ways={ways} />
      </Suspense>
      <details className="mt-2">
        <summary>
          <Trans>As a table</Trans>
        </summary>
        <table className="register">
          <caption>
            <Trans>People with access over time</Trans>
          </caption>
          <thead>
            <tr>
              <th>
                <Trans>Day</Trans>
              </th>
              <th>
                <Trans>People</Trans>
              </th>
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
      </details>
    </section>
  )
}
