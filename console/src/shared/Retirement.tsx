import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState, type ReactNode } from 'react'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { useRoleChoices } from '../pages/users/choices'
import { useSheet } from '../shell/sheet'
import { PickBox, type Choice } from './PickBox'
import { Empty, Loading, Trouble } from './State'

type Tie = Schemas['Tie']

/** What hangs on a role that is to be retired, with a replacement for its holders. */
export function RetireRole({ role }: { role: string }) {
  const [instead, setInstead] = useState<Choice | null>(null)
  const choices = useRoleChoices()
  const ties = useQuery(ask('/api/v1/roles/{role}/retirement', { params: { path: { role }, query: { replacement: instead?.key } } }))
  return (
    <>
      <div className="mt-3 max-w-80">
        <Trans>Replacement, for its holders</Trans>
        <PickBox
          label={t`Replacement, for its holders`}
          choices={choices.filter((c) => c.key !== role)}
          value={instead}
          onChange={setInstead}
        />
      </div>
      {instead && (
        <button type="button" className="press mt-1 text-sm" onClick={() => setInstead(null)}>
          <Trans>No replacement</Trans>
        </button>
      )}
      {ties.error && <Trouble error={ties.error} retry={() => void ties.refetch()} />}
      {ties.isLoading && <Loading what={t`what hangs on it`} />}
      {ties.data && <Ties retirement={ties.data} />}
    </>
  )
}

/** What hangs on an application that is to be retired. */
export function RetireApplication({ application }: { application: string }) {
  const ties = useQuery(ask('/api/v1/applications/{application}/retirement', { params: { path: { application } } }))
  if (ties.error) return <Trouble error={ties.error} retry={() => void ties.refetch()} />
  if (!ties.data) return <Loading what={t`what hangs on it`} />
  return <Ties retirement={ties.data} />
}

function Ties({ retirement: x }: { retirement: Schemas['Retirement'] }) {
  const sheet = useSheet()
  return (
    <>
      {x.ties.length === 0 && (
        <Empty>
          <Trans>Nothing hangs on it.</Trans>
        </Empty>
      )}
      {x.ties.length > 0 && (
        <table className="register mt-3">
          <thead>
            <tr>
              <th>
                <Trans>What hangs on it</Trans>
              </th>
              <th>
                <Trans>How</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {x.ties.slice(0, 500).map((tie, i) => (
              <tr key={i}>
                <td>{linked(tie)}</td>
                <td>{tie.words}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {x.ties.length > 500 && (
        <p className="text-soft">
          <Trans>The first 500 of {plural(x.ties.length, { one: '# tie', other: '# ties' })}.</Trans>
        </p>
      )}
      {x.more && (
        <p className="text-brass mt-2">
          <Trans>More people hold it than one change takes. Settle these first, then come back for the rest.</Trans>
        </p>
      )}
      {x.outside && (
        <p className="text-brass mt-2">
          <Trans>There may be more, outside what you may see.</Trans>
        </p>
      )}
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
        <Trans>Put all of it on the change sheet</Trans>
      </button>
      <p className="text-soft mt-1 text-sm">
        <Trans>{plural(x.lines.length, { one: '# line', other: '# lines' })}: what settles the above, and the retirement itself.</Trans>
      </p>
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
        <Trans>The request for {thing.label}</Trans>
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
    default: t`default rule`,
    sod_rule: t`SoD rule`,
    expectation: t`expectation`,
    requestable: t`access catalogue`,
    freeze: t`freeze`,
  }
  return (
    <Link to={pages[kind]} className="press">
      {thing.label}, {names[kind]}
    </Link>
  )
}
