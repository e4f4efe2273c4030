import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { Path } from './Path'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { Trouble } from './State'
import { check } from '../api/ask'

/** Why somebody may or may not do something: the chains of facts, or what came near, and what would give it. */
export function Answer({ ask }: { ask: Omit<Schemas['CheckRequest'], 'explain'> }) {
  const question = { ...ask, nobody: ask.user ? undefined : true, explain: true }
  const why = useQuery(check(question))
  const cure = why.data?.cure ?? []
  const { past } = useDay()
  const me = useMe()
  const own = ask.user === me.user.key || ask.user === me.user.id
  const offered = own && !past ? (why.data?.requestable ?? []) : []
  return (
    <>
      <p aria-live="polite">{why.data?.message ?? (why.error ? '' : 'Checking …')}</p>
      {why.error && <Trouble error={why.error} />}
      <div className="mt-2 flex flex-col gap-2">
        {why.data?.paths?.map((p, i) => (
          <Path key={i} path={p} />
        ))}
      </div>
      {cure.length > 0 && (
        <p className="mt-2">
          Requestable roles that would allow it:{' '}
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
      {offered.length > 0 && (
        <p className="mt-1">
          {offered.map((r) => (
            <Link key={r.id} to="/catalogue" search={{ role: r.key }} className="press mr-4">
              Request {r.label}
            </Link>
          ))}
        </p>
      )}
    </>
  )
}
