/** The pages, in their groups; register is what one must be able to read. */
export const pages = [
  {
    label: 'My work',
    pages: [
      { to: '/today', label: 'Today', register: '' },
      { to: '/my-access', label: 'My access', register: '' },
      { to: '/calendar', label: 'Calendar', register: '' },
      { to: '/requests', label: 'Requests', register: '' },
      { to: '/reviews', label: 'Reviews', register: '' },
      { to: '/shares', label: 'Shares', register: '' },
      { to: '/teams', label: 'Teams', register: 'teams' },
    ],
  },
  {
    label: 'People',
    pages: [
      { to: '/users', label: 'Users', register: 'users' },
      { to: '/invitations', label: 'Invitations', register: 'users' },
      { to: '/sign-up-rules', label: 'Sign-up rules', register: 'settings' },
      { to: '/units', label: 'Units', register: 'users' },
      { to: '/groups', label: 'Groups', register: 'groups' },
      { to: '/team-rules', label: 'Team rules', register: 'settings' },
      { to: '/machine-accounts', label: 'Machine accounts', register: 'users' },
      { to: '/shared-accounts', label: 'Shared accounts', register: 'users' },
      { to: '/connections', label: 'Connections', register: 'users' },
      { to: '/employment-types', label: 'Employment types', register: 'users' },
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
      { to: '/freezes', label: 'Freezes', register: 'settings' },
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
      { to: '/mail', label: 'Mail', register: 'settings' },
    ],
  },
] as const
