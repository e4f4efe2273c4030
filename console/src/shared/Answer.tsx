import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { lazy, Suspense } from 'react'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { Path } from './Path'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { Trouble } from './State'
import { check } from '../api/ask'

const WaysGraph = lazy(() => import('./charts/WaysGraph').then((m) => ({ default: m.WaysGraph })))

/** Why somebody may or may not do something: the chains of facts, or what came near, and what would give it. */
export function Answer({ ask, person }: { ask: Omit<Schemas['CheckRequest'], 'explain'>; person?: string }) {
  const question = { ...ask, nobody: ask.user ? undefined : true, explain: true }
  const { asOf, past } = useDay()
  const why = useQuery(check(question, asOf))
  const cure = why.data?.cure ?? []
  const me = useMe()
  const sheet = useSheet()
  const own = ask.user === me.user.key || ask.user === me.user.id
  const offered = own && !past ? (why.data?.requestable ?? []) : []
  return (
    <>
      <p aria-live="polite">{why.data?.message ?? (why.error ? '' : t`Checking …`)}</p>
      {why.error && <Trouble error={why.error} />}
      {(why.data?.paths?.length ?? 0) > 1 && (
        <Suspense>
          <WaysGraph paths={why.data!.paths!} />
        </Suspense>
      )}
      <div className="mt-2 flex flex-col gap-2">
        {why.data?.paths?.map((p, i) => (
          <Path key={i} path={p} />
        ))}
      </div>
      {cure.length > 0 && (
        <p className="mt-2">
          {own ? t`Requestable roles that would allow it` : t`Roles that would allow it`}:{' '}
          {cure.map((r, i) => (
            <span key={r.id}>
              {i > 0 && ', '}
              <Link to="/roles/$role" params={{ role: r.key! }} className="press">
                {r.label}
              </Link>
            </span>
          ))}
          .
        </p>
      )}
      {!past && person && ask.user && me.may['roles.assign'] && cure.length > 0 && (
        <p className="mt-1">
          {cure.map((r) => (
            <button
              key={r.id}
              type="button"
              className="press mr-4"
              onClick={() =>
                sheet.add(
                  {
                    verb: t`Grant`,
                    what: t`${r.label} to ${person}`,
                    detail: r.key,
                    operations: [{ op: 'grant', user: ask.user!, role: r.key! }],
                  },
                  me.revision,
                )
              }
            >
              <Trans>Grant {r.label}</Trans>
            </button>
          ))}
        </p>
      )}
      {offered.length > 0 && (
        <p className="mt-1">
          {offered.map((r) => (
            <Link key={r.id} to="/catalogue" search={{ role: r.key }} className="press mr-4">
              <Trans>Request {r.label}</Trans>
            </Link>
          ))}
        </p>
      )}
    </>
  )
}
