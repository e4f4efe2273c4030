import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState, type ReactNode } from 'react'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { useRoleChoices } from '../pages/users/choices'
import { useSheet } from '../shell/sheet'
import { PickBox, type Choice } from './PickBox'
import { Empty, Loading, Trouble } from './State'
import { count } from './words'

type Tie = Schemas['Tie']

/** What hangs on a role that is to be retired, with a replacement for its holders. */
export function RetireRole({ role }: { role: string }) {
  const [instead, setInstead] = useState<Choice | null>(null)
  const choices = useRoleChoices()
  const ties = useQuery(ask('/api/v1/roles/{role}/retirement', { params: { path: { role }, query: { replacement: instead?.key } } }))
  return (
    <>
      <div className="mt-3 max-w-80">
        Replacement, for its holders
        <PickBox
          label="Replacement, for its holders"
          choices={choices.filter((c) => c.key !== role)}
          value={instead}
          onChange={setInstead}
        />
      </div>
      {instead && (
        <button type="button" className="press mt-1 text-sm" onClick={() => setInstead(null)}>
          No replacement
        </button>
      )}
      {ties.error && <Trouble error={ties.error} retry={() => void ties.refetch()} />}
      {ties.isLoading && <Loading what="what hangs on it" />}
      {ties.data && <Ties retirement={ties.data} />}
    </>
  )
}

/** What hangs on an application that is to be retired. */
export function RetireApplication({ application }: { application: string }) {
  const ties = useQuery(ask('/api/v1/applications/{application}/retirement', { params: { path: { application } } }))
  if (ties.error) return <Trouble error={ties.error} retry={() => void ties.refetch()} />
  if (!ties.data) return <Loading what="what hangs on it" />
  return <Ties retirement={ties.data} />
}

function Ties({ retirement: x }: { retirement: Schemas['Retirement'] }) {
  const sheet = useSheet()
  return (
    <>
      {x.ties.length === 0 && <Empty>Nothing hangs on it.</Empty>}
      {x.ties.length > 0 && (
        <table className="register mt-3">
          <thead>
            <tr>
              <th>What hangs on it</th>
              <th>How</th>
            </tr>
          </thead>
          <tbody>
            {x.ties.slice(0, 500).map((t, i) => (
              <tr key={i}>
                <td>{linked(t)}</td>
                <td>{t.words}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {x.ties.length > 500 && <p className="text-soft">The first 500 of {count(x.ties.length, 'tie')}.</p>}
      {x.more && (
        <p className="text-brass mt-2">More people hold it than one change takes. Settle these first, then come back for the rest.</p>
      )}
      {x.outside && <p className="text-brass mt-2">There may be more, outside what you may see.</p>}
      <button
        type="button"
        className="button mt-3"
        onClick={() =>
          sheet.load(
            x.lines.map((l) => ({ verb: '', what: l.words, operations: l.operations })),
            x.revision,
          )
        }
      >
        Put all of it on the change sheet
      </button>
      <p className="text-soft mt-1 text-sm">{count(x.lines.length, 'line')}: what settles the above, and the retirement itself.</p>
    </>
  )
}

function linked({ kind, thing }: Tie): ReactNode {
  const key = thing.key ?? ''
  if (kind === 'user' || kind === 'account')
    return (
      <Link to="/users/$user" params={{ user: key }} className="press">
        {thing.label}
      </Link>
    )
  if (kind === 'group')
    return (
      <Link to="/groups/$group" params={{ group: key }} className="press">
        {thing.label}
      </Link>
    )
  if (kind === 'role')
    return (
      <Link to="/roles/$role" params={{ role: key }} className="press">
        {thing.label}
      </Link>
    )
  if (kind === 'request')
    return (
      <Link to="/requests/$request" params={{ request: key }} className="press">
        The request for {thing.label}
      </Link>
    )
  const pages = {
    default: '/defaults',
    sod_rule: '/sod-rules',
    expectation: '/expectations',
    requestable: '/catalogue',
    freeze: '/freezes',
  } as const
  const names = {
    default: 'default rule',
    sod_rule: 'SoD rule',
    expectation: 'expectation',
    requestable: 'access catalogue',
    freeze: 'freeze',
  }
  return (
    <Link to={pages[kind]} className="press">
      {thing.label}, {names[kind]}
    </Link>
  )
}
