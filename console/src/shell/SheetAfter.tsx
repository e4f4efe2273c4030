import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import type { ReactNode } from 'react'
import type { Schemas } from '../api/client'
import { moment } from '../shared/words'
import type { Line } from './sheet'
import { useMe } from './session'
import { Effect } from './SheetEffect'

// Beside the page from 1100 pixels on, over it below.
export const drawer =
  'border-rule bg-sheet flex w-79 shrink-0 flex-col overflow-y-auto border-l p-4.5 max-[1100px]:fixed max-[1100px]:inset-y-14 max-[1100px]:right-0 max-[1100px]:z-20'

/** What was discarded, until something else is put on the sheet. */
export function Discarded({ lines, back, close }: { lines: Line[]; back: () => void; close: () => void }) {
  return (
    <aside aria-label={t`Change sheet`} className={drawer}>
      <h2>
        <Trans>Discarded</Trans>
      </h2>
      <p role="status" className="mt-3">
        <Trans>{plural(lines.length, { one: '# change', other: '# changes' })} discarded. Nothing was changed.</Trans>
      </p>
      <div className="mt-4 flex gap-2">
        <button type="button" className="button" autoFocus onClick={back}>
          <Trans>Bring back</Trans>
        </button>
        <button type="button" className="button-quiet" onClick={close}>
          <Trans>Close</Trans>
        </button>
      </div>
    </aside>
  )
}

/** What was prepared instead of being made now. */
export function Prepared({ pending, close }: { pending: Schemas['PendingChange']; close: () => void }) {
  return (
    <aside aria-label={t`Change sheet`} className={drawer}>
      <h2>{pending.due ? t`To be made at its date` : pending.name ? t`Kept` : t`Passed on`}</h2>
      <div role="status" className="mt-3">
        <p>
          <Trans>
            {pending.due
              ? t`It is made at ${moment(pending.due)}, as ${pending.id}.`
              : pending.name
                ? t`Kept as ${pending.name}.`
                : t`To ${pending.to?.label ?? t`anybody who may make it`}, as ${pending.id}.`}{' '}
            Nothing was changed yet. Your Today page shows {pending.name ? t`it` : t`what becomes of it`}.
          </Trans>
        </p>
        <Sentences all={pending.sentences} />
      </div>
      <button type="button" className="button-quiet mt-4 self-start" autoFocus onClick={close}>
        <Trans>Close</Trans>
      </button>
    </aside>
  )
}

/** What was made. */
export function Done({
  result,
  lines,
  close,
  undo,
  stays,
}: {
  result: Schemas['ChangeResult']
  lines: Line[]
  close: () => void
  undo?: () => void
  stays: ReactNode
}) {
  return (
    <aside aria-label={t`Change sheet`} className={drawer}>
      <h2>
        <Trans>Committed</Trans>
      </h2>
      <div role="status" className="mt-3">
        <p className="mb-2">
          {result.unchanged
            ? t`Nothing to change: everything is so already. No revision was made.`
            : result.repeated
              ? t`It was made, as revision ${result.revision}: the answer was lost on its way.`
              : t`Committed as revision ${result.revision}.`}{' '}
          {!result.unchanged && (
            <Link to="/ledger/$revision" params={{ revision: String(result.revision) }} className="press">
              <Trans>See it</Trans>
            </Link>
          )}
        </p>
        <Sentences all={result.sentences} />
        <Effect result={{ ...result, unchanged: false }} title={t`What it did`} />
        <Next lines={lines} about={result.about ?? []} />
        {stays}
      </div>
      <div className="mt-4 flex gap-2">
        <button type="button" className="button-quiet" autoFocus onClick={close}>
          <Trans>Close</Trans>
        </button>
        {undo && !result.unchanged && (
          <button type="button" className="button-quiet" onClick={undo}>
            <Trans>Undo</Trans>
          </button>
        )}
      </div>
    </aside>
  )
}

const mostSaid = 5

/** What was or would be made, a line each; of many the first, and the others on press. */
function Sentences({ all }: { all: string[] }) {
  const row = (s: string, i: number) => (
    <li key={i} className="border-rule border-t py-2 last:border-b">
      {s}
    </li>
  )
  const first = all.length > mostSaid + 1 ? all.slice(0, mostSaid) : all
  const rest = all.slice(first.length)
  return (
    <>
      <ul className="mt-2">{first.map(row)}</ul>
      {rest.length > 0 && (
        <details>
          <summary className="text-harbour py-1 font-medium">
            <Trans>And {rest.length} more</Trans>
          </summary>
          <ul>{rest.map(row)}</ul>
        </details>
      )}
    </>
  )
}

const mostLinked = 3

/** Links to what was made or changed, and to what usually comes next. */
function Next({ lines, about }: { lines: Line[]; about: Schemas['About'][] }) {
  const me = useMe()
  const links = new Map<string, ReactNode>()
  const add = (key: string, to: ReactNode) => links.size < 8 && links.set(key, to)
  const text = (v: unknown) => (typeof v === 'string' && v ? v : undefined)
  const operations = lines.flatMap((l) => l.operations) as Record<string, unknown>[]
  // Of many users the revision tells.
  const many = new Set(operations.map((o) => o.user ?? o.user_name)).size > mostLinked
  const named = (kind: Schemas['About']['kind'], key: string) =>
    about.find((a) => a.kind === kind && (a.key === key || a.id === key))?.label ?? key
  const nameOf = (user: string) => named('user', user)
  for (const o of operations) {
    const user = text(o.user) ?? (o.op === 'add_user' ? text(o.user_name) : undefined)
    const app = text(o.application)
    const made = text(o.key)
    const role = text(o.role) ?? (o.op === 'add_role' && made ? (app ? `${app}/${made}` : made) : undefined)
    const group = text(o.group) ?? (o.op === 'add_group' ? made : undefined)
    const application = o.op === 'add_application' ? made : app
    if (user && !many && !/^user-\d+$/.test(user))
      add(
        `user ${user}`,
        <Link to="/users/$user" params={{ user }} className="press">
          {nameOf(user)}
        </Link>,
      )
    if (o.op === 'add_user' && user && !many)
      add(
        `sign-in ${user}`,
        <Link to="/users/$user" params={{ user }} search={{ tab: 'attributes' }} className="press">
          <Trans>Next: let {nameOf(user)} sign in</Trans>
        </Link>,
      )
    if (o.op === 'update_user' && text(o.unit) && user && !many && !me.review_moves)
      add(
        `moved ${user}`,
        <Link to="/users/$user" params={{ user }} search={{ tab: 'given' }} className="press">
          <Trans>Next: look at what {nameOf(user)} was given by hand</Trans>
        </Link>,
      )
    if (group && !/^group-\d+$/.test(group))
      add(
        `group ${group}`,
        <Link to="/groups/$group" params={{ group }} className="press">
          <Trans>Group {named('group', group)}</Trans>
        </Link>,
      )
    if (o.op === 'add_group' && group)
      add(
        `members ${group}`,
        <Link to="/groups/$group" params={{ group }} search={{ tab: 'members' }} className="press">
          <Trans>Next: add members to {named('group', group)}</Trans>
        </Link>,
      )
    if (role && !/^role-\d+$/.test(role))
      add(
        `role ${role}`,
        <Link to="/roles/$role" params={{ role }} className="press">
          <Trans>Role {named('role', role)}</Trans>
        </Link>,
      )
    if (o.op === 'add_role' && role)
      add(
        `permissions ${role}`,
        <Link to="/roles/$role" params={{ role }} search={{ tab: 'permissions' }} className="press">
          <Trans>Next: say what {named('role', role)} permits</Trans>
        </Link>,
      )
    if (o.op === 'update_user' && o.status === 'departed' && user && !many)
      add(
        `duties ${user}`,
        <Link to="/users/$user" params={{ user }} search={{ tab: 'attributes' }} className="press">
          <Trans>Next: hand over what {nameOf(user)} owns</Trans>
        </Link>,
      )
    if ((o.op === 'add_resource' || o.op === 'add_permission') && application)
      add(
        `coverage ${application}`,
        <Link to="/applications/$application" params={{ application }} search={{ tab: 'coverage' }} className="press">
          <Trans>Next: see which roles cover {named('application', application)}</Trans>
        </Link>,
      )
    if (o.op === 'add_default' || o.op === 'update_default')
      add(
        'defaults',
        <Link to="/defaults" className="press">
          <Trans>Next: see what a new user would have</Trans>
        </Link>,
      )
    if (o.op === 'set_expectation')
      add(
        'expectations',
        <Link to="/expectations" className="press">
          <Trans>Next: see whether it holds</Trans>
        </Link>,
      )
    if (o.op === 'add_sod_rule')
      add(
        'sod-rules',
        <Link to="/sod-rules" className="press">
          <Trans>Next: see who violates it</Trans>
        </Link>,
      )
    if (o.op === 'add_application' && application)
      add(
        `application ${application}`,
        <Link to="/applications/$application" params={{ application }} className="press">
          <Trans>Next: describe {named('application', application)}</Trans>
        </Link>,
      )
  }
  if (links.size === 0) return null
  return (
    <ul aria-label={t`What was changed`} className="mt-3 text-sm leading-7">
      {[...links].map(([key, to]) => (
        <li key={key}>{to}</li>
      ))}
    </ul>
  )
}
