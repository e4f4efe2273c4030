import { t } from '@lingui/core/macro'
/** The pages, in their groups; register is what one must be able to read. */
export const pages = [
  {
    label: t`My work`,
    pages: [
      { to: '/today', label: t`Today`, register: '' },
      { to: '/my-access', label: t`My access`, register: '' },
      { to: '/calendar', label: t`Calendar`, register: '' },
      { to: '/requests', label: t`Requests`, register: '' },
      { to: '/reviews', label: t`Reviews`, register: '' },
      { to: '/shares', label: t`Shares`, register: '' },
      { to: '/teams', label: t`Teams`, register: 'teams' },
    ],
  },
  {
    label: t`People`,
    pages: [
      { to: '/users', label: t`Users`, register: 'users' },
      { to: '/invitations', label: t`Invitations`, register: 'users' },
      { to: '/sign-up-rules', label: t`Sign-up rules`, register: 'settings' },
      { to: '/units', label: t`Units`, register: 'users' },
      { to: '/groups', label: t`Groups`, register: 'groups' },
      { to: '/team-rules', label: t`Team rules`, register: 'settings' },
      { to: '/machine-accounts', label: t`Machine accounts`, register: 'users' },
      { to: '/shared-accounts', label: t`Shared accounts`, register: 'users' },
      { to: '/connections', label: t`Connections`, register: 'users' },
      { to: '/employment-types', label: t`Employment types`, register: 'users' },
      { to: '/attributes', label: t`Attributes`, register: 'settings' },
    ],
  },
  {
    label: t`Access`,
    pages: [
      { to: '/applications', label: t`Applications`, register: 'applications' },
      { to: '/roles', label: t`Roles`, register: 'roles' },
      { to: '/grid', label: t`Grid`, register: 'applications' },
      { to: '/view-as', label: t`View as`, register: 'users' },
    ],
  },
  {
    label: t`Control`,
    pages: [
      { to: '/defaults', label: t`Defaults`, register: 'settings' },
      { to: '/sod-rules', label: t`SoD rules`, register: 'settings' },
      { to: '/freezes', label: t`Freezes`, register: 'settings' },
      { to: '/expectations', label: t`Expectations`, register: 'settings' },
      { to: '/delegations', label: t`Delegations`, register: 'roles' },
      { to: '/findings', label: t`Findings`, register: 'users' },
    ],
  },
  {
    label: t`Records`,
    pages: [
      { to: '/gained-and-lost', label: t`Gained and lost`, register: 'users' },
      { to: '/ledger', label: t`Ledger`, register: 'ledger' },
      { to: '/security-log', label: t`Security log`, register: 'ledger' },
      { to: '/mail', label: t`Mail`, register: 'settings' },
    ],
  },
] as const
