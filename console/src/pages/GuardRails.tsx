import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'

import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

/** What a change can run into, what would happen, and how to pass it. */
const rails = [
  [
    'last_administrator',
    t`The last administrator`,
    t`Nobody would be left who can administer Able Roster without a window, a schedule or an end date.`,
    t`No acknowledgement is possible. Make somebody else an administrator first. If everybody is locked out already, run rosterd recover on the host; this is recorded.`,
  ],
  [
    'own_access_lowered',
    t`Your own rights`,
    t`You would lose some of your own rights in Able Roster, and could not give them back to yourself.`,
    t`Acknowledge it to go on.`,
  ],
  [
    'violation_prevented',
    t`A violation that is prevented`,
    t`Somebody would hold roles that no one user may combine.`,
    t`No acknowledgement is possible. Remove one of the roles in the same change, or edit the SoD rule.`,
  ],
  [
    'violation_warned',
    t`A violation that shows a warning`,
    t`Somebody would hold roles that should not be combined.`,
    t`Acknowledge it to go on.`,
  ],
  [
    'expectation_broken',
    t`An expectation that blocks`,
    t`A check that must keep holding would fail.`,
    t`No acknowledgement is possible. Ask the owner of the expectation, end it, or edit your change.`,
  ],
  ['expectation_warned', t`An expectation that warns`, t`A check that should hold would fail.`, t`Acknowledge it to go on.`],
  [
    'gain_for_everybody',
    t`A gain for everybody`,
    t`Everybody, or anybody without signing in, would be able to do more. This includes future users.`,
    t`Acknowledge it to go on.`,
  ],
  [
    'administering_gain',
    t`Rights to administer`,
    t`Somebody would gain a right to create, update or assign in Able Roster.`,
    t`Acknowledge it to go on.`,
  ],
  [
    'wide_gain',
    t`A gain for many`,
    t`A fifth of all active users or more, and at least twenty, would be able to do more.`,
    t`Read the effect, then acknowledge it.`,
  ],
  [
    'wide_loss',
    t`A loss for many`,
    t`A fifth or more of those who have anything in an application, and at least five, would lose all of it.`,
    t`Read the effect, then acknowledge it.`,
  ],
  [
    'leaving_live',
    t`Leaving live`,
    t`A live application would let everybody in who is signed in (rehearsal), or nobody (draft, retired).`,
    t`Acknowledge it to go on.`,
  ],
  [
    'direct_assignment',
    t`A direct assignment`,
    t`The application’s roles are to be given through groups, and this gives one to a user directly.`,
    t`Add the user to a group that holds the role, or acknowledge it.`,
  ],
  [
    'application_depends',
    t`An application that depends on it`,
    t`The machine account by which an application evaluates access would lose the right to, or one that works for it would depart or be suspended.`,
    t`Acknowledge it, or have another account take its place first.`,
  ],
  [
    'second_person',
    t`A second person`,
    t`Your organisation requires two people for this: own gains, roles of high risk, or weaker safeguards, as set below.`,
    t`No acknowledgement is possible. Pass the change on to somebody else who may make it.`,
  ],
  [
    'freeze',
    t`A freeze`,
    t`A freeze stands, and the change is about what it protects.`,
    t`Whoever is let through acknowledges it. Others commit the change at a date after the freeze, or pass it on.`,
  ],
  [
    'likely_same_person',
    t`Somebody who is there already`,
    t`A user who is added looks like one who is there: the same address, the same value of an attribute that tells people apart, the same name and first day, or, where one of them has no first day, the same name in the same unit.`,
    t`Edit the user who is there, or bring them back. Acknowledge it if they are two people.`,
  ],
  [
    'moved',
    t`Somebody was faster`,
    t`Somebody else changed what your change is based on since you looked.`,
    t`Look at what they changed, then decide again.`,
  ],
] as const

export function GuardRailsPage() {
  return (
    <>
      <h1>
        <Trans>Guard rails</Trans>
      </h1>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Every change is checked against these before it is made, whoever makes it. Those that can be passed ask for an acknowledgement,
          which is kept in the ledger with the change. See also your organisation’s own rules:{' '}
          <Link to="/expectations" className="press">
            Expectations
          </Link>{' '}
          and{' '}
          <Link to="/sod-rules" className="press">
            SoD rules
          </Link>
          .
        </Trans>
      </p>
      <dl className="mt-4 max-w-180">
        {rails.map(([code, title, what, how]) => (
          <div key={code} id={code} className="border-rule border-b py-3">
            <dt>
              <strong>{title}</strong> <span className="text-soft font-mono text-sm">{code}</span>
            </dt>
            <dd>
              {what} <span className="text-soft">{how}</span>
            </dd>
          </div>
        ))}
      </dl>
      <SecondPerson />
      <References />
    </>
  )
}

/** For which changes a second person is needed. */
function SecondPerson() {
  const me = useMe()
  const sheet = useSheet()
  const now = me.second_person
  const [x, setX] = useState(now)
  if (!now || !x) return null
  const box = (name: 'own_gains' | 'high_risk_roles' | 'safeguards', label: string) => (
    <label className="flex gap-2">
      <input type="checkbox" checked={x[name]} onChange={(e) => setX({ ...x, [name]: e.target.checked })} />
      {label}
    </label>
  )
  const changed = x.own_gains !== now.own_gains || x.high_risk_roles !== now.high_risk_roles || x.safeguards !== now.safeguards
  return (
    <form
      aria-label={t`Second person`}
      className="mt-6 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Set`,
            what: t`for which changes a second person is needed`,
            operations: [{ op: 'set_second_person', ...x }],
          },
          me.revision,
        )
      }}
    >
      <h2>
        <Trans>A second person is needed for</Trans>
      </h2>
      <div className="mt-2 flex flex-col gap-2">
        {box('own_gains', t`access that somebody gains by their own change`)}
        {box('high_risk_roles', t`changes that give a role of high risk`)}
        {box('safeguards', t`changes that weaken an SoD rule, an expectation or this setting, or leave fewer than two administrators`)}
      </div>
      <button type="submit" className="button mt-3" disabled={!changed}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Stands for the reference in an address. */
const inBraces = '{reference}'

/** What references to tickets look like, and where one is looked up. */
function References() {
  const me = useMe()
  const sheet = useSheet()
  const now = me.references
  const [x, setX] = useTyped('References', now)
  if (!me.second_person) return null // which who may set the one is told
  return (
    <form
      aria-label={t`References`}
      className="mt-6 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add({ verb: t`Set`, what: t`what references look like`, operations: [{ op: 'set_references', ...x }] }, me.revision)
      }}
    >
      <h2>
        <Trans>References</Trans>
      </h2>
      <p className="text-soft">
        <Trans>A change can refer to where the work was asked for, such as a ticket. The ledger is searched by it.</Trans>
      </p>
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-2">
        <label>
          <Trans>
            Pattern <span className="text-soft text-sm">a regular expression, such as TCK-[0-9]+; blank: any text</span>
          </Trans>
          <input className="field font-mono" maxLength={200} value={x.pattern} onChange={(e) => setX({ ...x, pattern: e.target.value })} />
        </label>
        <label>
          <Trans>
            Address <span className="text-soft text-sm">https, with {inBraces} in it; blank: no link</span>
          </Trans>
          <input className="field font-mono" maxLength={500} value={x.address} onChange={(e) => setX({ ...x, address: e.target.value })} />
        </label>
      </div>
      <button type="submit" className="button mt-3" disabled={x.pattern === now.pattern && x.address === now.address}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
