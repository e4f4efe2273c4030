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
        Security log
      </Title>
      <p className="text-soft mt-1">
        Who signed in, who tried to, and who was given a way to sign in. Changes of access are in the ledger.
      </p>
      <div className="mt-3 max-w-80">
        <span aria-hidden>Only this user</span>
        <UserBox label="Only this user" value={user} onChange={setUser} />
      </div>
      {log.error ? (
        <Trouble error={log.error} retry={() => void log.refetch()} />
      ) : !log.data ? (
        <Loading what="the security log" />
      ) : events.length === 0 ? (
        <Empty>Nothing is recorded.</Empty>
      ) : (
        <table className="register mt-4">
          <thead>
            <tr>
              <th>When</th>
              <th>What</th>
              <th>By</th>
              <th>About</th>
              <th>From</th>
            </tr>
          </thead>
          <tbody>
            {events.map((e, i) => (
              <tr key={i}>
                <td className="tabular-nums whitespace-nowrap">{moment(e.at)}</td>
                <td>{e.event}</td>
                <td>{e.by ? <Named user={e.by} /> : <span className="text-soft">nobody signed in</span>}</td>
                <td>{e.user && <Named user={e.user} />}</td>
                <td className="font-mono text-sm">{e.address}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {log.hasNextPage && (
        <button type="button" className="button-quiet mt-3" disabled={log.isFetchingNextPage} onClick={() => void log.fetchNextPage()}>
          Show more
        </button>
      )}
    </>
  )
}
