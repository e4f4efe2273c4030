import { useQuery } from '@tanstack/react-query'
import { Link, Navigate, Outlet } from '@tanstack/react-router'
import { ProblemError } from '../api/client'
import { SignIn } from '../pages/SignIn'
import { Loading, Trouble } from '../shared/State'
import { fullDay } from '../shared/words'
import { Account } from './Account'
import { ChangeSheet } from './ChangeSheet'
import { useDay } from './day'
import { DayPicker } from './DayPicker'
import { SearchBox } from './SearchBox'
import { SessionContext, useMe } from './session'
import { SheetProvider } from './sheet'
import { ask } from '../api/ask'

/** The frame of every page: find box, day, account, pages, change sheet. */
export function Shell() {
  const me = useQuery({ ...ask('/api/v1/me'), staleTime: 60_000 })
  if (me.error instanceof ProblemError && me.error.problem.status === 401) return <SignIn />
  if (me.error && !me.data)
    return (
      <main className="p-8">
        <Trouble page error={me.error} retry={() => void me.refetch()} />
      </main>
    )
  if (!me.data)
    return (
      <main className="p-8">
        <Loading what="who you are" />
      </main>
    )
  return (
    <SessionContext.Provider value={me.data}>
      <SheetProvider>
        <Frame />
      </SheetProvider>
    </SessionContext.Provider>
  )
}

const pages = [
  {
    label: 'My work',
    pages: [
      { to: '/today', label: 'Today', register: '' },
      { to: '/my-access', label: 'My access', register: '' },
      { to: '/requests', label: 'Requests', register: '' },
      { to: '/reviews', label: 'Reviews', register: '' },
    ],
  },
  {
    label: 'People',
    pages: [
      { to: '/users', label: 'Users', register: 'users' },
      { to: '/groups', label: 'Groups', register: 'groups' },
      { to: '/attributes', label: 'Attributes', register: 'settings' },
    ],
  },
  {
    label: 'Access',
    pages: [
      { to: '/applications', label: 'Applications', register: 'applications' },
      { to: '/roles', label: 'Roles', register: 'roles' },
      { to: '/grid', label: 'Grid', register: 'applications' },
      { to: '/view-as', label: 'View as', register: 'users' },
    ],
  },
  {
    label: 'Control',
    pages: [
      { to: '/defaults', label: 'Defaults', register: 'settings' },
      { to: '/sod-rules', label: 'SoD rules', register: 'settings' },
      { to: '/expectations', label: 'Expectations', register: 'settings' },
      { to: '/delegations', label: 'Delegations', register: 'roles' },
      { to: '/findings', label: 'Findings', register: 'users' },
    ],
  },
  {
    label: 'Records',
    pages: [
      { to: '/gained-and-lost', label: 'Gained and lost', register: 'users' },
      { to: '/ledger', label: 'Ledger', register: 'ledger' },
      { to: '/security-log', label: 'Security log', register: 'ledger' },
    ],
  },
] as const

function Frame() {
  const { day, past } = useDay()
  const me = useMe()
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
        To the page
      </a>
      <header
        className={`bg-sheet flex h-13.5 shrink-0 items-center gap-4 border-b px-4.5 ${past ? 'border-brass border-b-2' : 'border-rule'}`}
      >
        <Link to="/" className="w-37 shrink-0 font-bold">
          Able <span className="text-harbour">Roster</span>
        </Link>
        <SearchBox />
        <div className="ml-auto flex shrink-0 items-center gap-4">
          <DayPicker />
          <Account />
        </div>
      </header>
      {past && (
        <p role="status" className="bg-wash text-brass border-rule border-b px-4.5 py-1 font-semibold">
          As of {fullDay(day!)}, read only.{' '}
          <Link to="." search={(s: object) => ({ ...s, day: undefined })} className="press">
            Back to today
          </Link>
        </p>
      )}
      <div className="flex min-h-0 grow">
        <nav aria-label="Pages" className="border-rule w-42 shrink-0 overflow-y-auto border-r py-4">
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
                        className="text-ink block border-l-3 border-transparent px-4.5 py-1"
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
              </section>
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
      <h1>Page not found</h1>
      <p className="mt-2">
        The address may be wrong.{' '}
        <Link to="/" className="press">
          To the first page
        </Link>
      </p>
    </main>
  )
}
