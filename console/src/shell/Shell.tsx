import { useQuery } from '@tanstack/react-query'
import { Link, Navigate, Outlet } from '@tanstack/react-router'
import { answer, api, ProblemError } from '../api/client'
import { SignIn } from '../pages/SignIn'
import { Loading, Trouble } from '../shared/State'
import { fullDay } from '../shared/words'
import { Account } from './Account'
import { ChangeSheet } from './ChangeSheet'
import { useDay } from './day'
import { DayPicker } from './DayPicker'
import { FindBox } from './FindBox'
import { SessionContext, useMe } from './session'
import { SheetProvider } from './sheet'

/** The frame of every page: find box, day, account, pages, change sheet. */
export function Shell() {
  const me = useQuery({ queryKey: ['me'], queryFn: () => answer(api.GET('/api/v1/me')), staleTime: 60_000 })
  if (me.error instanceof ProblemError && me.error.problem.status === 401) return <SignIn />
  if (me.error && !me.data) return <main className="p-8"><Trouble page error={me.error} retry={() => void me.refetch()} /></main>
  if (!me.data) return <main className="p-8"><Loading what="who you are" /></main>
  return (
    <SessionContext.Provider value={me.data}>
      <SheetProvider>
        <Frame />
      </SheetProvider>
    </SessionContext.Provider>
  )
}

const pages = [
  [
    { to: '/today', label: 'Today', register: '' },
    { to: '/requests', label: 'Requests', register: '' },
    { to: '/reviews', label: 'Reviews', register: '' },
    { to: '/mine', label: 'Mine', register: '' },
  ],
  [
    { to: '/users', label: 'Users', register: 'users' },
    { to: '/groups', label: 'Groups', register: 'groups' },
    { to: '/applications', label: 'Applications', register: 'applications' },
    { to: '/roles', label: 'Roles', register: 'roles' },
    { to: '/grid', label: 'Grid', register: 'applications' },
    { to: '/view-as', label: 'View as', register: 'users' },
  ],
  [
    { to: '/defaults', label: 'Defaults', register: 'settings' },
    { to: '/conflicts', label: 'Conflicts', register: 'settings' },
    { to: '/expectations', label: 'Expectations', register: 'settings' },
    { to: '/hand-outs', label: 'Hand-outs', register: 'roles' },
    { to: '/attributes', label: 'Attributes', register: 'settings' },
    { to: '/findings', label: 'Findings', register: 'users' },
    { to: '/between', label: 'What changed', register: 'users' },
    { to: '/ledger', label: 'Ledger', register: 'ledger' },
    { to: '/security-log', label: 'Security log', register: 'ledger' },
  ],
] as const

function Frame() {
  const { day, past } = useDay()
  const me = useMe()
  const today = useQuery({ queryKey: ['today'], queryFn: () => answer(api.GET('/api/v1/today')), staleTime: 60_000, enabled: !past })
  const parts = useQuery({ queryKey: ['parts'], queryFn: () => answer(api.GET('/api/v1/parts')), staleTime: 60_000, enabled: !past })
  const waits = (today.data?.to_decide.length ?? 0) + (today.data?.reviews.length ?? 0) + (parts.data?.to_make.length ?? 0)
  return (
    <div className="flex h-screen flex-col">
      <a href="#main" className="bg-sheet sr-only focus:not-sr-only focus:absolute focus:z-40 focus:p-2">
        To the page
      </a>
      <header className={`bg-sheet flex h-13.5 shrink-0 items-center gap-4 border-b px-4.5 ${past ? 'border-brass border-b-2' : 'border-rule'}`}>
        <Link to="/" className="w-37 shrink-0 font-bold">
          Able <span className="text-harbour">Roster</span>
        </Link>
        <FindBox />
        <div className="ml-auto flex shrink-0 items-center gap-4">
          <DayPicker />
          <Account />
        </div>
      </header>
      {past && (
        <p role="status" className="bg-wash text-brass border-rule border-b px-4.5 py-1 font-semibold">
          As of {fullDay(day!)}, read only.{' '}
          <Link to="." search={(s: object) => ({ ...s, day: undefined }) as never} className="press">
            Back to today
          </Link>
        </p>
      )}
      <div className="flex min-h-0 grow">
        <nav aria-label="Pages" className="border-rule w-42 shrink-0 overflow-y-auto border-r py-4">
          {pages
            .map((part) => part.filter((p) => p.register === '' || me.may[`${p.register}.read`]))
            .filter((part) => part.length > 0)
            .map((part, i) => (
            <ul key={i} className="border-rule mx-4.5 border-b py-2.5 first:pt-0 last:border-b-0">
              {part.map((p) => (
                  <li key={p.to} className="-mx-4.5">
                    <Link
                      to={p.to}
                      className="text-ink block border-l-3 border-transparent px-4.5 py-1.5"
                      activeProps={{ className: 'bg-wash border-harbour! font-semibold', 'aria-current': 'page' }}
                    >
                      {p.label}
                      {p.to === '/today' && waits > 0 && (
                        <span className="text-brass float-right font-semibold">
                          {waits} <span className="sr-only">to decide</span>
                        </span>
                      )}
                    </Link>
                  </li>
                ))}
            </ul>
          ))}
        </nav>
        <main id="main" tabIndex={-1} className="min-w-0 grow overflow-y-auto px-6 py-5 outline-none">
          <Outlet />
        </main>
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
      <h1>There is no such page</h1>
      <p className="mt-2">
        The address may be mistyped. <Link to="/" className="press">To the beginning</Link>
      </p>
    </main>
  )
}
