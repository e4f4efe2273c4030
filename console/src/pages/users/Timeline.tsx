import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { ask } from '../../api/ask'
import { Empty, Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'

const Chart = lazy(() => import('./TimelineChart').then((m) => ({ default: m.TimelineChart })))
const List = lazy(() => import('./TimelineList').then((m) => ({ default: m.TimelineList })))

const legend = [
  ['bg-ink', t`given directly`],
  ['bg-harbour', 'requested'],
  ['bg-brass', t`by default`],
  ['bg-kelp', t`through a group`],
] as const

/** Which roles somebody held when, as a picture and as a list. */
export function Timeline({ user, now }: { user: string; now: Date }) {
  const life = useQuery(ask('/api/v1/users/{user}/timeline', { params: { path: { user } } }))
  if (life.error) return <Trouble error={life.error} retry={() => void life.refetch()} />
  if (!life.data) return <Loading what={t`their timeline`} />
  if (life.data.roles.length === 0)
    return (
      <Empty>
        <Trans>Never held a role, except those everybody has.</Trans>
      </Empty>
    )
  return (
    <>
      <p className="text-soft mt-2">
        <Trans>
          {plural(life.data.roles.length, { one: '# role', other: '# roles' })} held since {shortDay(life.data.from)}. Press a bar to read
          what began it.
        </Trans>
      </p>
      <ul className="mt-1 flex flex-wrap gap-x-5 text-sm" aria-label={t`Legend`}>
        {legend.map(([ink, word]) => (
          <li key={word}>
            <span aria-hidden className={`${ink} mr-1.5 inline-block size-2.5 rounded-sm`} />
            {word}
          </li>
        ))}
      </ul>
      <Suspense>
        <Chart life={life.data} now={now} />
        <List life={life.data} />
      </Suspense>
    </>
  )
}
