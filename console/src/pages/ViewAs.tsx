import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { Mark } from '../shared/Mark'
import { describe, NewcomerForm } from '../shared/Newcomer'
import { PathText } from '../shared/PathText'
import { PickBox } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { list } from '../shared/words'
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
      <h1>
        <Trans>View as</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>What somebody else can do in each application, without signing in as them. Read only; it is recorded that you looked.</Trans>
      </p>
      <div className="mt-3 flex flex-wrap items-end gap-4">
        <div className="w-72">
          <PickBox
            label={t`User to view as`}
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
          <Trans>Nobody signed in</Trans>
        </button>
      </div>
      <details className="mt-3" open={wouldBe !== undefined}>
        <summary className="text-harbour font-medium">
          <Trans>A would-be user</Trans>
        </summary>
        <NewcomerForm key={wouldBe} now={search} set={(x) => void navigate({ search: (s) => ({ ...s, ...nobody, ...x }) })} />
      </details>
      {view.error && <Trouble error={view.error} retry={() => void view.refetch()} />}
      {view.isLoading && <Loading what={t`what they can do`} />}
      {!view.isLoading && !v && !view.error && (
        <Empty>
          <Trans>Choose a user.</Trans>
        </Empty>
      )}
      {v && (
        <>
          <p role="status" className="bg-wash text-brass border-brass mt-4 border-l-3 px-3 py-2 font-semibold">
            <Trans>You view as {v.who.label}.</Trans>
            {!v.effective && t` They can do nothing now: not active, or outside their start and end dates.`}
          </p>
          <h2 className="mt-5">
            <Trans>What they can do</Trans>
          </h2>
          <ul>
            {v.applications.map((a) => (
              <Met key={a.application.id} met={a} open={search.application === a.application.key} />
            ))}
          </ul>
          {v.applications.length === 0 && (
            <Empty>
              <Trans>There is no application that you may see.</Trans>
            </Empty>
          )}
          {v.registers.length > 0 && (
            <p className="mt-3">
              <Trans>In Able Roster itself: {list(v.registers)}, within their delegation.</Trans>
            </p>
          )}
          {v.outside && (
            <p className="text-brass mt-2">
              <Trans>There may be more in applications that you may not see.</Trans>
            </p>
          )}
          <h2 className="mt-6">
            <Trans>Why</Trans>
          </h2>
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
            {a.shows.length === 0 ? t`nothing` : t`${a.shows.length} of ${plural(a.total, { one: '# resource', other: '# resources' })}`}
          </span>
          {a.state !== 'live' && <span className="text-brass"> · {a.state}</span>}
        </summary>
        {a.shows.length === 0 ? (
          <p className="text-soft py-1 pl-4">
            <Trans>They have no access here.</Trans>
          </p>
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
                      <Trans>
                        <Mark name="own" /> {x.own!.join(', ')}, their own
                      </Trans>
                    </>
                  )}
                  {(x.missing ?? []).length > 0 && (
                    <span className="text-soft text-sm">
                      <Trans> · not {x.missing!.join(', ')}</Trans>
                    </span>
                  )}
                </span>
              </li>
            ))}
          </ul>
        )}
      </details>
    </li>
  )
}
