import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link, Navigate, Outlet } from '@tanstack/react-router'
import { lazy, Suspense, useEffect, useState } from 'react'
import { callFor, ProblemError, whenOther } from '../api/client'
import { SignIn } from '../pages/SignIn'
import { Loading, Trouble } from '../shared/State'
import { fullDay, setZone } from '../shared/words'
import { Account } from './Account'
import { useAway } from './away'
import { Busy } from './Busy'
import { ChangeSheet } from './ChangeSheet'
import { Confirm } from './Confirm'
import { useDay } from './day'
import { DayPicker } from './DayPicker'
import { Keys } from './Keys'
import { pages } from './pages'
import { PageTitle } from './PageTitle'
import { SearchBox } from './SearchBox'
import { SessionContext, useMe } from './session'
import { SheetProvider } from './sheet'
import { ask } from '../api/ask'

const NeedsFactor = lazy(() => import('../pages/account/NeedsFactor').then((m) => ({ default: m.NeedsFactor })))

/** The frame of every page, and who is asked to confirm that it is them. */
export function Shell() {
  return (
    <>
      <Confirm />
      <Signed />
    </>
  )
}

/** Find box, day, account, pages, change sheet; signing in first. */
function Signed() {
  const me = useQuery({ ...ask('/api/v1/me'), staleTime: 60_000 })
  const [other, setOther] = useState(false)
  useEffect(() => whenOther(() => setOther(true)), [])
  const user = me.data?.user.id
  callFor(user)
  if (other) return <SomebodyElse user={me.data?.user.label ?? t`the user before`} />
  if (me.error instanceof ProblemError && me.error.problem.status === 401) return <SignIn />
  if (me.error && !me.data)
    return (
      <main className="p-8">
        <Trouble page error={me.error} retry={() => void me.refetch()} />
      </main>
    )
  if (me.data?.needs_second_factor)
    return (
      <Suspense>
        <NeedsFactor />
      </Suspense>
    )
  if (!me.data)
    return (
      <main className="p-8">
        <Loading what={t`who you are`} />
      </main>
    )
  setZone(me.data.time_zone)
  return (
    <SessionContext.Provider value={me.data}>
      <SheetProvider key={user}>
        <Frame />
      </SheetProvider>
    </SessionContext.Provider>
  )
}

/** In another tab somebody else signed in: this page was of the user before, and nothing of
 * it is done in the name of another. */
function SomebodyElse({ user }: { user: string }) {
  return (
    <main className="p-8">
      <h1>
        <Trans>Somebody else is signed in</Trans>
      </h1>
      <p role="alert" className="mt-2 max-w-140">
        <Trans>
          In this browser another user has signed in since {user} did. Nothing was done in their name. What {user} has not committed is kept
          for them until they sign in again.
        </Trans>
      </p>
      <button type="button" className="button mt-4" onClick={() => window.location.assign('/')}>
        <Trans>Go on as the user who is signed in</Trans>
      </button>
    </main>
  )
}

function Frame() {
  const { day, past } = useDay()
  const me = useMe()
  const away = useAway()
  const [menu, setMenu] = useState(false) // where there is no room for the pages
  const today = useQuery({ ...ask('/api/v1/today'), staleTime: 60_000, enabled: !past })
  const pending = useQuery({
    ...ask('/api/v1/pending-changes'),
    staleTime: 60_000,
    enabled: !past,
  })
  const waits = (today.data?.to_decide.length ?? 0) + (today.data?.reviews.length ?? 0) + (pending.data?.to_make.length ?? 0)
  return (
    <div className="flex h-screen flex-col">
      <a href="#main" className="bg-sheet sr-only focus:not-sr-only focus:absolute focus:z-40 focus:p-2">
        <Trans>To the page</Trans>
      </a>
      <header
        className={`bg-sheet flex h-13.5 shrink-0 items-center gap-4 border-b px-4.5 max-md:h-auto max-md:flex-wrap max-md:gap-x-3 max-md:gap-y-2 max-md:px-3 max-md:py-2 ${past ? 'border-brass border-b-2' : 'border-rule'}`}
      >
        <button
          type="button"
          className="button-quiet px-2 py-1 md:hidden"
          aria-expanded={menu}
          aria-controls="pages"
          onClick={() => setMenu(!menu)}
        >
          <Trans>Menu</Trans>
        </button>
        <Link to="/" className="w-37 shrink-0 font-bold max-md:w-auto">
          <Trans>
            Able <span className="text-harbour">Roster</span>
          </Trans>
        </Link>
        <SearchBox />
        <div className="ml-auto flex shrink-0 items-center gap-4">
          <DayPicker />
          <Account />
        </div>
      </header>
      <Busy />
      <Keys />
      {away && (
        <p role="alert" className="bg-wash text-brick border-rule border-b px-4.5 py-1 font-semibold">
          <Trans>The service cannot be reached. It is tried again by itself; what you typed is kept.</Trans>
        </p>
      )}
      {past && (
        <p role="status" className="bg-wash text-brass border-rule border-b px-4.5 py-1 font-semibold">
          <Trans>
            As of {fullDay(day!)}, read only.{' '}
            <Link to="." search={(s: object) => ({ ...s, day: undefined })} className="press">
              Back to today
            </Link>
          </Trans>
        </p>
      )}
      <div className="relative flex min-h-0 grow">
        <nav
          id="pages"
          aria-label={t`Pages`}
          className={`border-rule w-42 shrink-0 overflow-y-auto border-r py-4 max-md:absolute max-md:inset-y-0 max-md:left-0 max-md:z-30 max-md:w-64 ${menu ? 'max-md:bg-sheet' : 'max-md:hidden'}`}
          onKeyDown={(e) => e.key === 'Escape' && setMenu(false)}
        >
          {pages
            .map((group) => ({ label: group.label, pages: group.pages.filter((p) => p.register === '' || me.may[`${p.register}.read`]) }))
            .filter((group) => group.pages.length > 0)
            .map((group) => (
              <section key={group.label} className="px-4.5 pb-3">
                <h2 className="text-soft text-xs font-semibold">{group.label}</h2>
                <ul>
                  {group.pages.map((p) => (
                    <li key={p.to} className="-mx-4.5">
                      <Link
                        to={p.to}
                        onClick={() => setMenu(false)}
                        className="text-ink block border-l-3 border-transparent px-4.5 py-1"
                        activeProps={{ className: 'bg-wash border-harbour! font-semibold', 'aria-current': 'page' }}
                      >
                        {p.label}
                        {p.to === '/today' && waits > 0 && (
                          <span className="text-brass float-right font-semibold">
                            {waits}{' '}
                            <span className="sr-only">
                              <Trans>to decide</Trans>
                            </span>
                          </span>
                        )}
                      </Link>
                    </li>
                  ))}
                </ul>
              </section>
            ))}
        </nav>
        <main id="main" tabIndex={-1} className="min-w-0 grow overflow-y-auto px-6 py-5 outline-none max-md:px-3 max-md:py-3">
          <Outlet />
        </main>
        <PageTitle />
        {!past && <ChangeSheet />}
      </div>
    </div>
  )
}

/** Where somebody begins: at what waits for them. */
export function Home() {
  return <Navigate to="/today" />
}

export function Lost() {
  return (
    <main className="p-8">
      <h1>
        <Trans>Page not found</Trans>
      </h1>
      <p className="mt-2">
        <Trans>
          The address may be wrong.{' '}
          <Link to="/" className="press">
            To the first page
          </Link>
        </Trans>
      </p>
    </main>
  )
}
