import { listSearch, type ListSearch } from './shared/listSearch'
import type { LedgerSearch } from './shared/ledgerSearch'
import type { May } from './shared/AskMay'
import { createRootRoute, createRoute, createRouter, retainSearchParams } from '@tanstack/react-router'
import { lazyPage } from './shell/lazyPage'
import { Home, Lost, Shell } from './shell/Shell'
import { SetUp } from './pages/SetUp'
import { SignInBy } from './pages/SignInBy'
import { SignUp } from './pages/SignUp'
import { UseLink } from './pages/UseLink'

/** The day looked at is in every address; without one it is today. So is which panel is open. */
export type DaySearch = { day?: string; add?: string }

const root = createRootRoute({
  validateSearch: (s: Record<string, unknown>): DaySearch => ({
    ...(typeof s.day === 'string' && /^\d{4}-\d\d-\d\d$/.test(s.day) ? { day: s.day } : {}),
    ...(text(s.add) ? { add: text(s.add) } : {}),
  }),
  search: { middlewares: [retainSearchParams(['day'])] },
  notFoundComponent: Lost,
})

/** What is asked about one permission. */
const may = (s: Record<string, unknown>): May => ({ application: text(s.application), action: text(s.action), path: text(s.path) })

const text = (v: unknown) => (typeof v === 'string' && v !== '' ? v : undefined)

const setUp = createRoute({ getParentRoute: () => root, path: '/set-up', component: SetUp })
const useLink = createRoute({ getParentRoute: () => root, path: '/sign-in-link', component: UseLink })
const signUp = createRoute({ getParentRoute: () => root, path: '/sign-up', component: SignUp })
const signInBy = createRoute({ getParentRoute: () => root, path: '/sign-in-by', component: SignInBy })
const shell = createRoute({ getParentRoute: () => root, id: 'shell', component: Shell })
const home = createRoute({ getParentRoute: () => shell, path: '/', component: Home })

const users = createRoute({
  getParentRoute: () => shell,
  path: '/users',
  validateSearch: (
    s: Record<string, unknown>,
  ): { q?: string; status?: string; unit?: string; group?: string; filter?: string; sort?: string; columns?: string } => ({
    q: text(s.q),
    status: text(s.status),
    unit: text(s.unit),
    group: text(s.group),
    filter: text(s.filter),
    sort: text(s.sort),
    columns: text(s.columns),
  }),
  component: lazyPage(() => import('./pages/users/List'), 'UserList'),
})
const addUser = createRoute({
  getParentRoute: () => shell,
  path: '/users/add',
  component: lazyPage(() => import('./pages/users/Add'), 'AddUser'),
})
const user = createRoute({
  getParentRoute: () => shell,
  path: '/users/$user',
  validateSearch: (s: Record<string, unknown>): { tab?: string } & May & ListSearch => ({ tab: text(s.tab), ...may(s), ...listSearch(s) }),
  component: lazyPage(() => import('./pages/users/One'), 'OneUser'),
})
const units = createRoute({
  getParentRoute: () => shell,
  path: '/units',
  validateSearch: (s: Record<string, unknown>): { role?: string } => ({ role: text(s.role) }),
  component: lazyPage(() => import('./pages/units/Tree'), 'UnitsPage'),
})
const groups = createRoute({
  getParentRoute: () => shell,
  path: '/groups',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/groups/List'), 'GroupList'),
})
const group = createRoute({
  getParentRoute: () => shell,
  path: '/groups/$group',
  validateSearch: (s: Record<string, unknown>): { tab?: string } => ({ tab: text(s.tab) }),
  component: lazyPage(() => import('./pages/groups/One'), 'OneGroup'),
})
const applications = createRoute({
  getParentRoute: () => shell,
  path: '/applications',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/applications/List'), 'ApplicationList'),
})
const application = createRoute({
  getParentRoute: () => shell,
  path: '/applications/$application',
  validateSearch: (s: Record<string, unknown>): { tab?: string } => ({ tab: text(s.tab) }),
  component: lazyPage(() => import('./pages/applications/One'), 'OneApplication'),
})
const holders = createRoute({
  getParentRoute: () => shell,
  path: '/applications/$application/holders',
  validateSearch: (s: Record<string, unknown>): { action?: string; path?: string } => ({ action: text(s.action), path: text(s.path) }),
  component: lazyPage(() => import('./pages/applications/Holders'), 'HoldersPage'),
})
const gainedAndLost = createRoute({
  getParentRoute: () => shell,
  path: '/gained-and-lost',
  validateSearch: (s: Record<string, unknown>): ListSearch & { from?: string; to?: string; application?: string } => ({
    ...listSearch(s),
    from: text(s.from),
    to: text(s.to),
    application: text(s.application),
  }),
  component: lazyPage(() => import('./pages/GainedAndLost'), 'GainedAndLostPage'),
})
const roles = createRoute({
  getParentRoute: () => shell,
  path: '/roles',
  validateSearch: (s: Record<string, unknown>): ListSearch & { as?: string } => ({ ...listSearch(s), as: text(s.as) }),
  component: lazyPage(() => import('./pages/roles/Tree'), 'RoleTree'),
})
const role = createRoute({
  getParentRoute: () => shell,
  path: '/roles/$role',
  validateSearch: (s: Record<string, unknown>): { tab?: string } => ({ tab: text(s.tab) }),
  component: lazyPage(() => import('./pages/roles/One'), 'OneRole'),
})
const grid = createRoute({
  getParentRoute: () => shell,
  path: '/grid',
  validateSearch: (
    s: Record<string, unknown>,
  ): { application?: string; group?: string; q?: string; unit?: string; title?: string; employment?: string } => ({
    application: text(s.application),
    group: text(s.group),
    q: text(s.q),
    unit: text(s.unit),
    title: text(s.title),
    employment: text(s.employment),
  }),
  component: lazyPage(() => import('./pages/Grid'), 'GridPage'),
})
const defaults = createRoute({
  getParentRoute: () => shell,
  path: '/defaults',
  validateSearch: (s: Record<string, unknown>): ListSearch & { unit?: string; title?: string; employment?: string } => ({
    ...listSearch(s),
    unit: text(s.unit),
    title: text(s.title),
    employment: text(s.employment),
  }),
  component: lazyPage(() => import('./pages/defaults/List'), 'DefaultsPage'),
})
const myAccess = createRoute({
  getParentRoute: () => shell,
  path: '/my-access',
  validateSearch: (s: Record<string, unknown>): May & ListSearch => ({ ...may(s), ...listSearch(s) }),
  component: lazyPage(() => import('./pages/MyAccess'), 'MyAccessPage'),
})
const delegations = createRoute({
  getParentRoute: () => shell,
  path: '/delegations',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Delegations'), 'DelegationsPage'),
})
const importPeople = createRoute({
  getParentRoute: () => shell,
  path: '/import',
  component: lazyPage(() => import('./pages/import/Import'), 'ImportPage'),
})
const attributes = createRoute({
  getParentRoute: () => shell,
  path: '/attributes',
  component: lazyPage(() => import('./pages/Attributes'), 'AttributesPage'),
})
const shares = createRoute({
  getParentRoute: () => shell,
  path: '/shares',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Shares'), 'SharesPage'),
})
const freezes = createRoute({
  getParentRoute: () => shell,
  path: '/freezes',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Freezes'), 'FreezesPage'),
})
const sodRules = createRoute({
  getParentRoute: () => shell,
  path: '/sod-rules',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/SoDRules'), 'SoDRulesPage'),
})
const expectations = createRoute({
  getParentRoute: () => shell,
  path: '/expectations',
  validateSearch: (
    s: Record<string, unknown>,
  ): ListSearch & { user?: string; nobody?: string; may?: string; application?: string; action?: string; path?: string } => ({
    ...listSearch(s),
    user: text(s.user),
    nobody: text(s.nobody),
    may: text(s.may),
    application: text(s.application),
    action: text(s.action),
    path: text(s.path),
  }),
  component: lazyPage(() => import('./pages/Expectations'), 'ExpectationsPage'),
})
const findings = createRoute({
  getParentRoute: () => shell,
  path: '/findings',
  validateSearch: (s: Record<string, unknown>): { code?: string; aside?: string } => ({ code: text(s.code), aside: text(s.aside) }),
  component: lazyPage(() => import('./pages/Findings'), 'FindingsPage'),
})
const viewAs = createRoute({
  getParentRoute: () => shell,
  path: '/view-as',
  validateSearch: (
    s: Record<string, unknown>,
  ): { user?: string; nobody?: string; unit?: string; title?: string; employment?: string; application?: string } & ListSearch => ({
    ...listSearch(s),
    user: text(s.user),
    nobody: text(s.nobody),
    unit: text(s.unit),
    title: text(s.title),
    employment: text(s.employment),
    application: text(s.application),
  }),
  component: lazyPage(() => import('./pages/ViewAs'), 'ViewAsPage'),
})
const guardRails = createRoute({
  getParentRoute: () => shell,
  path: '/guard-rails',
  component: lazyPage(() => import('./pages/GuardRails'), 'GuardRailsPage'),
})
const today = createRoute({
  getParentRoute: () => shell,
  path: '/today',
  component: lazyPage(() => import('./pages/Today'), 'TodayPage'),
})
const requests = createRoute({
  getParentRoute: () => shell,
  path: '/requests',
  validateSearch: (s: Record<string, unknown>): ListSearch & { kind?: string } => ({ ...listSearch(s), kind: text(s.kind) }),
  component: lazyPage(() => import('./pages/requests/List'), 'RequestList'),
})
const request = createRoute({
  getParentRoute: () => shell,
  path: '/requests/$request',
  component: lazyPage(() => import('./pages/requests/One'), 'OneRequest'),
})
const reviews = createRoute({
  getParentRoute: () => shell,
  path: '/reviews',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/reviews/List'), 'ReviewList'),
})
const review = createRoute({
  getParentRoute: () => shell,
  path: '/reviews/$round',
  validateSearch: (s: Record<string, unknown>): { show?: string } => ({ show: text(s.show) }),
  component: lazyPage(() => import('./pages/reviews/One'), 'OneReview'),
})
const catalogue = createRoute({
  getParentRoute: () => shell,
  path: '/catalogue',
  validateSearch: (s: Record<string, unknown>): { q?: string; user?: string; role?: string } => ({
    q: text(s.q),
    user: text(s.user),
    role: text(s.role),
  }),
  component: lazyPage(() => import('./pages/requests/Catalogue'), 'CataloguePage'),
})
const ledger = createRoute({
  getParentRoute: () => shell,
  path: '/ledger',
  validateSearch: (s: Record<string, unknown>): LedgerSearch => ({
    by: text(s.by),
    about: text(s.about),
    reference: text(s.reference),
    kind: text(s.kind),
    via: text(s.via),
    first: text(s.first),
    last: text(s.last),
  }),
  component: lazyPage(() => import('./pages/Ledger'), 'LedgerPage'),
})
const revision = createRoute({
  getParentRoute: () => shell,
  path: '/ledger/$revision',
  component: lazyPage(() => import('./pages/Revision'), 'RevisionPage'),
})
const invitations = createRoute({
  getParentRoute: () => shell,
  path: '/invitations',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Invitations'), 'InvitationsPage'),
})
const calendar = createRoute({
  getParentRoute: () => shell,
  path: '/calendar',
  validateSearch: (s: Record<string, unknown>): ListSearch & { unit?: string; days?: number } => ({
    ...listSearch(s),
    unit: text(s.unit),
    days: Number(s.days) > 0 ? Number(s.days) : undefined,
  }),
  component: lazyPage(() => import('./pages/Calendar'), 'CalendarPage'),
})
const connections = createRoute({
  getParentRoute: () => shell,
  path: '/connections',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Connections'), 'ConnectionsPage'),
})
const machineAccounts = createRoute({
  getParentRoute: () => shell,
  path: '/machine-accounts',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/MachineAccounts'), 'MachineAccountsPage'),
})

const sharedAccounts = createRoute({
  getParentRoute: () => shell,
  path: '/shared-accounts',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/SharedAccounts'), 'SharedAccountsPage'),
})
const employmentTypes = createRoute({
  getParentRoute: () => shell,
  path: '/employment-types',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/EmploymentTypes'), 'EmploymentTypesPage'),
})
const teams = createRoute({
  getParentRoute: () => shell,
  path: '/teams',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/teams/List'), 'TeamList'),
})
const oneTeam = createRoute({
  getParentRoute: () => shell,
  path: '/teams/$team',
  component: lazyPage(() => import('./pages/teams/One'), 'OneTeam'),
})
const teamRules = createRoute({
  getParentRoute: () => shell,
  path: '/team-rules',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/teams/Rules'), 'TeamRulesPage'),
})
const signUpRules = createRoute({
  getParentRoute: () => shell,
  path: '/sign-up-rules',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/SignUpRules'), 'SignUpRulesPage'),
})
const mails = createRoute({
  getParentRoute: () => shell,
  path: '/mail',
  validateSearch: listSearch,
  component: lazyPage(() => import('./pages/Mails'), 'MailsPage'),
})
const securityLog = createRoute({
  getParentRoute: () => shell,
  path: '/security-log',
  component: lazyPage(() => import('./pages/SecurityLog'), 'SecurityLogPage'),
})

export const router = createRouter({
  routeTree: root.addChildren([
    setUp,
    useLink,
    signUp,
    signInBy,
    shell.addChildren([
      home,
      users,
      addUser,
      user,
      units,
      invitations,
      mails,
      calendar,
      machineAccounts,
      connections,
      sharedAccounts,
      employmentTypes,
      teams,
      oneTeam,
      teamRules,
      signUpRules,
      groups,
      group,
      applications,
      application,
      holders,
      gainedAndLost,
      roles,
      role,
      grid,
      today,
      requests,
      request,
      catalogue,
      reviews,
      review,
      defaults,
      freezes,
      shares,
      sodRules,
      attributes,
      myAccess,
      delegations,
      importPeople,
      expectations,
      findings,
      viewAs,
      guardRails,
      ledger,
      revision,
      securityLog,
    ]),
  ]),
  scrollRestoration: true,
})

declare module '@tanstack/react-router' {
  interface Register {
    router: typeof router
  }
}
