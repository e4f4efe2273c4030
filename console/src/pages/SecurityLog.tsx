import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useInfiniteQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { UserBox } from '../shared/UserBox'
import { Named } from '../shared/Named'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { moment } from '../shared/words'
import { askPages } from '../api/ask'

/** Who signed in, who tried to, and who was given a way to sign in. */
export function SecurityLogPage() {
  const [user, setUser] = useState('')
  const log = useInfiniteQuery({
    ...askPages('/api/v1/security-log', (cursor) => ({ params: { query: { user: user || undefined, cursor } } })),
  })
  const events = log.data?.pages.flatMap((p) => p.events) ?? []
  return (
    <>
      <Title list="security-log" query={{ user }}>
        <Trans>Security log</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>Who signed in, who tried to, and who was given a way to sign in. Changes of access are in the ledger.</Trans>
      </p>
      <div className="mt-3 max-w-80">
        <span aria-hidden>
          <Trans>Only this user</Trans>
        </span>
        <UserBox label={t`Only this user`} value={user} onChange={setUser} />
      </div>
      {log.error ? (
        <Trouble error={log.error} retry={() => void log.refetch()} />
      ) : !log.data ? (
        <Loading what={t`the security log`} />
      ) : events.length === 0 ? (
        <Empty>
          <Trans>Nothing is recorded.</Trans>
        </Empty>
      ) : (
        <table className="register mt-4">
          <thead>
            <tr>
              <th>
                <Trans>When</Trans>
              </th>
              <th>
                <Trans>What</Trans>
              </th>
              <th>
                <Trans>By</Trans>
              </th>
              <th>
                <Trans>About</Trans>
              </th>
              <th>
                <Trans>From</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {events.map((e, i) => (
              <tr key={i}>
                <td className="tabular-nums whitespace-nowrap">{moment(e.at)}</td>
                <td>{e.event}</td>
                <td>
                  {e.by ? (
                    <Named user={e.by} />
                  ) : (
                    <span className="text-soft">
                      <Trans>nobody signed in</Trans>
                    </span>
                  )}
                </td>
                <td>{e.user && <Named user={e.user} />}</td>
                <td className="font-mono text-sm">{e.address}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {log.hasNextPage && (
        <button type="button" className="button-quiet mt-3" disabled={log.isFetchingNextPage} onClick={() => void log.fetchNextPage()}>
          <Trans>Show more</Trans>
        </button>
      )}
    </>
  )
}
