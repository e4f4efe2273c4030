import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Operation } from '../api/client'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

/** What a change can run into, what would happen, and how to pass it. */
const rails = [
  ['last_administrator', 'The last administrator', 'Nobody would be left who can administer Able Roster without a window, a schedule or an end date.', 'It cannot be passed. Make somebody else administrator first. If all are locked out already, rosterd recover on the host is the way back in, and is recorded.'],
  ['own_access_lowered', 'Your own rights', 'You would lose some of your own rights in Able Roster, and could not give them back to yourself.', 'Say that you mean it.'],
  ['conflict_prevented', 'A prevented conflict', 'Somebody would hold roles that nobody may combine.', 'It cannot be passed. Take one of the roles away in the same change, or change the conflict.'],
  ['conflict_warned', 'A conflict that is warned of', 'Somebody would hold roles that should not be combined.', 'Say that you mean it.'],
  ['expectation_broken', 'An expectation that blocks', 'Something that must keep holding would no longer.', 'It cannot be passed. Ask who answers for the expectation; end it, or change the change.'],
  ['expectation_warned', 'An expectation that warns', 'Something that is expected to hold would no longer.', 'Say that you mean it.'],
  ['gain_for_everybody', 'A gain for everybody', 'Everybody, or anybody without signing in, would be able to do more, those not here yet too.', 'Say that you mean it.'],
  ['administering_gain', 'Rights to administer', 'Somebody would come to create, update or assign things in Able Roster.', 'Say that you mean it.'],
  ['wide_gain', 'A gain for many', 'A fifth of all active users or more, and at least twenty, would be able to do more.', 'Look at the effect, then say that you mean it.'],
  ['wide_loss', 'A loss for many', 'A fifth or more of those who have anything in an application, and at least five, would lose all of it.', 'Look at the effect, then say that you mean it.'],
  ['leaving_live', 'Leaving live', 'An application that is live would let everybody in (rehearsal), or nobody (draft, retired).', 'Say that you mean it.'],
  ['direct_assignment', 'A direct assignment', 'The application wants its roles given through groups, and this gives one to a user.', 'Put the user into a group that holds the role; or say that you mean it.'],
  ['application_depends', 'An application that depends on it', 'The machine account with which an application asks would lose the right to, and the application would be answered nothing.', 'Say that you mean it; or give the right to another account first.'],
  ['second_person', 'A second person', 'Your organisation wants two people behind this: what you gain yourself, roles of high risk, or weaker safeguards, as is set below.', 'No acknowledgement is possible. Pass the change on to somebody who may make it too; they make it.'],
  ['moved', 'Somebody was faster', 'What the change builds on was changed by somebody else since you looked.', 'Look at what they did, then decide anew.'],
] as const

export function GuardRailsPage() {
  return (
    <>
      <h1>Guard rails</h1>
      <p className="text-soft mt-1 max-w-180">Every change is held against these before it is made, whoever makes it and through whatever. Those that can be passed ask you to say that you mean it; the ledger keeps what was passed with the change. What is refused for your organisation in particular stands in{' '}
        <Link to="/expectations" className="press">
          Expectations
        </Link>{' '}
        and{' '}
        <Link to="/conflicts" className="press">
          Conflicts
        </Link>
        .
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
      aria-label="Second person"
      className="mt-6 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add({ verb: 'Set', what: 'for which changes a second person is needed', operations: [{ op: 'set_second_person', ...x } as Operation] }, me.revision)
      }}
    >
      <h2>A second person is needed for</h2>
      <div className="mt-2 flex flex-col gap-2">
        {box('own_gains', 'what somebody gains by their own change')}
        {box('high_risk_roles', 'what gives a role of high risk')}
        {box('safeguards', 'what weakens a conflict, an expectation or this setting, or leaves fewer than two administrators')}
      </div>
      <button type="submit" className="button mt-3" disabled={!changed}>
        Put on the sheet
      </button>
    </form>
  )
}
