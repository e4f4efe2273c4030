import { useQuery } from '@tanstack/react-query'
import { getRouteApi } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { Mark } from '../shared/Mark'
import { describe, NewcomerForm } from '../shared/Newcomer'
import { PathText } from '../shared/PathText'
import { PickBox } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { count, list } from '../shared/words'
import { useDay } from '../shell/day'
import { AccessLines } from './users/AccessLines'
import { useUserChoices } from './users/choices'
import { ask } from '../api/ask'

const route = getRouteApi('/shell/view-as')

/** What somebody else can do in each application. */
export function ViewAsPage() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, now } = useDay()
  const users = useUserChoices()
  const wouldBe = describe(search)
  const chosen = search.user ?? (search.nobody ? '' : undefined)
  const view = useQuery({
    enabled: chosen !== undefined || wouldBe !== undefined,
    ...ask('/api/v1/view-as', {
      params: {
        query: { user: chosen || undefined, nobody: chosen === '' && !wouldBe ? true : undefined, would_be: wouldBe, as_of: asOf },
      },
    }),
  })
  const v = view.data
  const nobody = { user: undefined, nobody: undefined, unit: undefined, title: undefined, employment: undefined }
  return (
    <>
      <h1>View as</h1>
      <p className="text-soft mt-1">
        What somebody else can do in each application, without signing in as them. Read only; it is recorded that you looked.
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <div className="w-72">
          <PickBox
            label="User to view as"
            choices={users}
            value={users.find((u) => u.key === search.user) ?? null}
            onChange={(c) => c && void navigate({ search: (s) => ({ ...s, ...nobody, user: c.key }) })}
          />
        </div>
        <button
          type="button"
          className="button-quiet"
          aria-pressed={!!search.nobody}
          onClick={() => void navigate({ search: (s) => ({ ...s, ...nobody, nobody: 'yes' }) })}
        >
          Nobody signed in
        </button>
      </div>
      <details className="mt-3" open={wouldBe !== undefined}>
        <summary className="text-harbour font-medium">A would-be user</summary>
        <NewcomerForm key={wouldBe} now={search} set={(x) => void navigate({ search: (s) => ({ ...s, ...nobody, ...x }) })} />
      </details>
      {view.error && <Trouble error={view.error} retry={() => void view.refetch()} />}
      {view.isLoading && <Loading what="what they can do" />}
      {!view.isLoading && !v && !view.error && <Empty>Choose a user.</Empty>}
      {v && (
        <>
          <p role="status" className="bg-wash text-brass border-brass mt-4 border-l-3 px-3 py-2 font-semibold">
            You view as {v.who.label}.{!v.effective && ' They can do nothing now: not active, or outside their start and end dates.'}
          </p>
          <h2 className="mt-5">What they can do</h2>
          <ul>
            {v.applications.map((a) => (
              <Met key={a.application.id} met={a} open={search.application === a.application.key} />
            ))}
          </ul>
          {v.applications.length === 0 && <Empty>There is no application that you may see.</Empty>}
          {v.registers.length > 0 && <p className="mt-3">In Able Roster itself: {list(v.registers)}, within their delegation.</p>}
          {v.outside && <p className="text-brass mt-2">There may be more in applications that you may not see.</p>}
          <h2 className="mt-6">Why</h2>
          <AccessLines lines={v.lines} now={now} />
        </>
      )}
    </>
  )
}

function Met({ met: a, open }: { met: Schemas['ViewAsApplication']; open: boolean }) {
  return (
    <li className="border-rule border-b py-1.5">
      <details open={open}>
        <summary>
          <strong>{a.application.label}</strong>{' '}
          <span className={a.shows.length > 0 ? 'text-soft' : 'text-brass'}>
            {a.shows.length === 0 ? 'nothing' : `${a.shows.length} of ${count(a.total, 'resource')}`}
          </span>
          {a.state !== 'live' && <span className="text-brass"> · {a.state}</span>}
        </summary>
        {a.shows.length === 0 ? (
          <p className="text-soft py-1 pl-4">They have no access here.</p>
        ) : (
          <ul className="py-1 pl-4">
            {a.shows.map((x) => (
              <li key={x.path} className="flex gap-3 py-0.5">
                <span className="w-72 shrink-0" style={{ paddingLeft: `${x.path === '/' ? 0 : (x.path.split('/').length - 1) * 0.9}rem` }}>
                  {x.label} <PathText path={x.path} />
                </span>
                <span>
                  {(x.actions ?? []).join(', ')}
                  {(x.own ?? []).length > 0 && (
                    <>
                      {(x.actions ?? []).length > 0 && ', '}
                      <Mark name="own" /> {x.own!.join(', ')}, their own
                    </>
                  )}
                  {(x.missing ?? []).length > 0 && <span className="text-soft text-sm"> · not {x.missing!.join(', ')}</span>}
                </span>
              </li>
            ))}
          </ul>
        )}
      </details>
    </li>
  )
}
