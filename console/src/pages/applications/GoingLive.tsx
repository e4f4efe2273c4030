import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { Fragment, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { Answer } from '../../shared/Answer'
import { Mark } from '../../shared/Mark'
import { PathText } from '../../shared/PathText'
import { Empty, Loading, Trouble } from '../../shared/State'
import { list, moment } from '../../shared/words'
import { useSheet } from '../../shell/sheet'
import { chosen } from '../../shared/chosen'
import { ask } from '../../api/ask'

const states = ['draft', 'rehearsal', 'live', 'retired'] as const
const words = {
  draft: t`Draft: nobody has access, except the trial group`,
  rehearsal: t`Rehearsal: everybody who is signed in has access, and what live would deny is counted`,
  live: t`Live: access is enforced`,
  retired: t`Retired: nobody has access`,
}

/** Where an application is in its life, and what the next step would do. */
export function GoingLive({ application: a, writes }: { application: Schemas['Application']; writes: boolean }) {
  const sheet = useSheet()
  const [to, setTo] = useState(chosen(states, a.state))
  const live = useQuery(ask('/api/v1/applications/{application}/going-live', { params: { path: { application: a.key } } }))
  return (
    <>
      {writes && (
        <form
          aria-label={t`State of the application`}
          className="mt-1 mb-4"
          onSubmit={(e) => {
            e.preventDefault()
            sheet.add(
              {
                verb: t`Make`,
                what: `${a.label} ${to === 'draft' ? t`a draft` : to}`,
                detail: t`now ${a.state}`,
                operations: [{ op: 'update_application', application: a.key, state: to }],
              },
              a.revision,
            )
          }}
        >
          <fieldset>
            <legend className="font-semibold">
              <Trans>State</Trans>
            </legend>
            {states.map((s) => (
              <label key={s} className="flex gap-2 py-0.5">
                <input type="radio" name="state" value={s} checked={to === s} onChange={() => setTo(s)} />
                {words[s]}
                {s === a.state && (
                  <span className="text-soft">
                    <Trans> (now)</Trans>
                  </span>
                )}
              </label>
            ))}
          </fieldset>
          <button type="submit" className="button mt-2" disabled={to === a.state}>
            <Trans>Add to change sheet</Trans>
          </button>
        </form>
      )}
      {live.error && <Trouble error={live.error} retry={() => void live.refetch()} />}
      {live.isPending && <Loading what={t`what live would do`} />}
      {live.data && <Effect live={live.data} application={a.key} />}
    </>
  )
}

function Effect({ live: l, application }: { live: Schemas['GoingLive']; application: string }) {
  return (
    <section aria-label={t`What live would do`}>
      <h2>{l.state === 'live' ? t`As it is, live` : t`If it went live now`}</h2>
      <p>
        <Trans>
          {plural(l.with, { one: '# person', other: '# people' })} {l.state === 'live' ? t`can` : t`could`} do something in it,{' '}
          <strong>{plural(l.with_nothing, { one: '# person', other: '# people' })} nothing</strong>.
        </Trans>{' '}
        {l.with_nothing > 0 && (
          <details className="inline-block align-top">
            <summary className="text-harbour">
              <Trans>Who</Trans>
            </summary>
            <span className="text-soft text-sm">
              {list((l.examples ?? []).slice(0, 20).map((u) => u.label))}
              {l.with_nothing > 20 && t` and ${l.with_nothing - 20} more`}
            </span>
          </details>
        )}
      </p>
      {l.expectations.map((x) => (
        <p key={x.id} className="border-brass mt-2 border-l-3 pl-3">
          <Trans>
            <Mark name="warns" /> It is expected that “{x.label}”, which does not hold.{' '}
            <Link to="/expectations" className="press">
              By whom
            </Link>
          </Trans>
        </p>
      ))}
      {l.state === 'rehearsal' && (
        <Recorded
          title={t`Used in the rehearsal, and denied once live`}
          counts={l.recorded}
          application={application}
          none={t`Nothing was used that live would deny.`}
        />
      )}
      {l.nobody_asked.length > 0 && (
        <Recorded
          title={t`Used without signing in, and denied: perhaps a sign-in or an error screen`}
          counts={l.nobody_asked}
          application={application}
          none=""
        />
      )}
      <h3 className="mt-4 font-semibold">
        <Trans>Without signing in</Trans>
      </h3>
      {l.nobody.length === 0 ? (
        <p>
          <Trans>
            Nothing can be done without signing in. Give sign-in and error screens to the group public, or nobody will see them.
          </Trans>
        </p>
      ) : (
        <ul>
          {l.nobody.map((n) => (
            <li key={n.path}>
              <Mark name="public" /> {list(n.actions)} <PathText path={n.path} />
            </li>
          ))}
        </ul>
      )}
      {l.unreached.length > 0 && (
        <>
          <h3 className="mt-4 font-semibold">
            <Trans>No role reaches</Trans>
          </h3>
          <ul>
            {l.unreached.map((n) => (
              <li key={n.path}>
                <PathText path={n.path} /> <span className="text-soft">{n.label}</span>
              </li>
            ))}
          </ul>
        </>
      )}
      {l.outside && (
        <p className="text-soft mt-2">
          <Trans>There may be more that you may not see.</Trans>
        </p>
      )}
    </section>
  )
}

function Recorded({
  title,
  counts,
  application,
  none,
}: {
  title: string
  counts: Schemas['RehearsalCount'][]
  application: string
  none: string
}) {
  const [open, setOpen] = useState('')
  return (
    <section aria-label={t`Rehearsal`} className="mt-4">
      <h3 className="font-semibold">{title}</h3>
      {counts.length === 0 && <Empty>{none}</Empty>}
      {counts.length > 0 && (
        <table className="register">
          <thead>
            <tr>
              <th>
                <Trans>User</Trans>
              </th>
              <th>
                <Trans>Did</Trans>
              </th>
              <th>
                <Trans>How often, and last</Trans>
              </th>
              <th>
                <Trans>Once live</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {counts.slice(0, 100).map((c) => {
              const key = `${c.user.id} ${c.action} ${c.path}`
              return (
                <Fragment key={key}>
                  <tr>
                    <td>
                      {c.user.key ? (
                        <Link to="/users/$user" params={{ user: c.user.key }} className="press">
                          {c.user.label}
                        </Link>
                      ) : (
                        c.user.label
                      )}
                    </td>
                    <td>
                      {c.action} <PathText path={c.path} />
                    </td>
                    <td className="text-soft">
                      {c.times}, {moment(c.last_at)}
                    </td>
                    <td>
                      <button
                        type="button"
                        className="press text-brick"
                        aria-expanded={open === key}
                        onClick={() => setOpen(open === key ? '' : key)}
                      >
                        <Trans>denied: why</Trans>
                      </button>
                    </td>
                  </tr>
                  {open === key && (
                    <tr>
                      <td colSpan={4} className="bg-open">
                        <Answer ask={{ user: c.user.key, application, action: c.action, path: c.path }} />
                      </td>
                    </tr>
                  )}
                </Fragment>
              )
            })}
          </tbody>
        </table>
      )}
      {counts.length > 100 && (
        <p className="text-soft mt-1">
          <Trans>The first 100 of {counts.length}.</Trans>
        </p>
      )}
    </section>
  )
}
