import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useState } from 'react'
import { answer, api, type Operation, type Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { keyOf } from '../../shared/key'
import { PickBox, type Choice } from '../../shared/PickBox'
import { windowOf } from '../../shared/window'
import { shortDay, enough } from '../../shared/words'
import { useMe } from '../../shell/session'
import { useSheet } from '../../shell/sheet'
import { useGroupChoices, useRoleChoices } from './choices'
import { GrantRole } from './Give'
import { ValueBox } from './ValueBox'
import { useTyped } from '../../shell/drafts'

export type Picked = { user_name: string; label: string }

/** The most one change can take on by hand. */
export const mostAtOnce = 2000

/** All users a list shows, page by page. */
export async function fetchAll(query: {
  q?: string
  status?: Schemas['User']['status']
  unit?: string
  group?: string
  filter?: string
}): Promise<Picked[]> {
  const out: Picked[] = []
  for (let cursor: string | undefined; ;) {
    const page: Schemas['UserList'] = await answer(api.GET('/api/v1/users', { params: { query: { ...query, limit: 500, cursor } } }))
    out.push(...page.users.map((u) => ({ user_name: u.user_name, label: u.display_name })))
    cursor = page.next
    if (!cursor || out.length > mostAtOnce) return out.slice(0, mostAtOnce)
  }
}

/** What can be done with several users at once, as one change. */
export function Several({
  picked,
  clear,
  total,
  all,
  revision,
}: {
  picked: Picked[]
  clear: () => void
  total: number
  all: () => void
  revision: number
}) {
  const me = useMe()
  const sheet = useSheet()
  const groups = useGroupChoices()
  const roles = useRoleChoices()
  const [unit, setUnit] = useTyped('Several unit', '')
  const who = picked.length === 1 ? picked[0]!.label : plural(picked.length, { one: '# user', other: '# users' })
  const put = (verb: string, what: string, operation: (user: string) => Operation) => {
    sheet.add(
      {
        verb,
        what,
        detail: enough(picked.map((p) => p.label)),
        operations: picked.map((p) => operation(p.user_name)),
      },
      revision,
    )
    clear()
  }
  return (
    <section aria-label={t`Several at once`} className="bg-wash mt-3 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-md p-2.5">
      <strong aria-live="polite">
        <Trans>{plural(picked.length, { one: '# user', other: '# users' })} picked</Trans>
      </strong>
      {picked.length < Math.min(total, mostAtOnce) && (
        <button type="button" className="press" onClick={all}>
          {total > mostAtOnce
            ? t`Pick the first ${mostAtOnce.toLocaleString('en')} of ${total.toLocaleString('en')}, as many as one change takes`
            : t`Pick all ${total.toLocaleString('en')}`}
        </button>
      )}
      <button type="button" className="press" onClick={clear}>
        <Trans>Pick none</Trans>
      </button>
      {me.may['users.update'] && (
        <>
          <button
            type="button"
            className="button-quiet"
            onClick={() => put(t`Suspend`, who, (user) => ({ op: 'update_user', user, status: 'suspended' }))}
          >
            <Trans>Suspend</Trans>
          </button>
          <button
            type="button"
            className="button-quiet"
            onClick={() => put(t`Bring back`, who, (user) => ({ op: 'update_user', user, status: 'active' }))}
          >
            <Trans>Bring back</Trans>
          </button>
          <form
            className="flex gap-2"
            onSubmit={(e) => {
              e.preventDefault()
              put(t`Move`, t`${who} to ${unit.trim()}`, (user) => ({ op: 'update_user', user, unit: unit.trim() }))
            }}
          >
            <ValueBox
              attribute="unit"
              className="w-40"
              aria-label={t`Unit to move them to`}
              placeholder={t`Unit`}
              value={unit}
              set={setUnit}
            />
            <button type="submit" className="button-quiet" disabled={unit.trim() === ''}>
              <Trans>Move</Trans>
            </button>
          </form>
        </>
      )}
      {me.may['groups.update'] && (
        <PickAndPut
          label={t`Add to a group`}
          press={t`Add`}
          choices={groups}
          put={(c) => put(t`Add`, t`${who} to ${c.label}`, (user) => ({ op: 'add_member', group: c.key, user }))}
        />
      )}
      {me.may['roles.assign'] && (
        <>
          <PickAndPut
            label={t`Grant a role`}
            press={t`Grant`}
            choices={roles}
            until
            put={(c, last) =>
              put(t`Grant`, t`${c.label} to ${who}${last && t`, last day ${shortDay(last)}`}`, (user) => ({
                op: 'grant',
                role: c.key,
                user,
                ...windowOf({ first: '', last }, me.time_zone),
              }))
            }
          />
          <AddPanel press label={t`Limits of a role for ${who}`} name="grant-to-several">
            {(done) => (
              <GrantRole
                open
                to={{ users: picked.map((p) => p.user_name), label: who, revision }}
                done={() => {
                  done()
                  clear()
                }}
              />
            )}
          </AddPanel>
          <PickAndPut
            label={t`Revoke a role`}
            press={t`Revoke`}
            choices={roles}
            put={(c) => put(t`Revoke`, t`${c.label} of ${who}`, (user) => ({ op: 'revoke', role: c.key, user }))}
          />
        </>
      )}
    </section>
  )
}

/** What is done to many at once has a press of its own, beside the pick. */
export function PickAndPut({
  label,
  press,
  choices,
  until,
  put,
}: {
  label: string
  press: string
  choices: Choice[]
  until?: boolean // asks for a last day
  put: (c: Choice, last: string) => void
}) {
  const [picked, setPicked] = useState<Choice | null>(null)
  const [last, setLast] = useState('')
  return (
    <form
      className="flex gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (!picked) return
        put(picked, last)
        setPicked(null)
        setLast('')
      }}
    >
      <div className="w-44">
        <PickBox label={label} choices={choices} value={picked} onChange={setPicked} />
      </div>
      {until && (
        <input
          type="date"
          aria-label={t`Last day of the role`}
          className="field w-auto"
          value={last}
          onChange={(e) => setLast(e.target.value)}
        />
      )}
      <button type="submit" className="button-quiet" disabled={!picked}>
        {press}
      </button>
    </form>
  )
}

/** Makes a group of whoever a filter chooses, now and later. */
export function GroupByRule({ filter, revision }: { filter: string; revision: number }) {
  const sheet = useSheet()
  const [label, setLabel] = useTyped('GroupByRule label', '')
  const key = keyOf(label)
  return (
    <form
      aria-label={t`Make a group of them`}
      className="mt-2 flex items-center gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Make`,
            what: t`the group ${label.trim()}`,
            detail: t`users who match ${filter}`,
            operations: [{ op: 'add_group', key, label: label.trim(), filter }],
          },
          revision,
        )
        setLabel('')
      }}
    >
      <input
        className="field max-w-72"
        aria-label={t`Name of a group of them`}
        placeholder={t`Name of a group for this filter`}
        value={label}
        onChange={(e) => setLabel(e.target.value)}
      />
      <button type="submit" className="button-quiet" disabled={!key}>
        <Trans>Make it a group</Trans>
      </button>
    </form>
  )
}
