import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import { DifferenceRow } from '../shared/DifferenceRow'
import { Empty, Loading, Trouble } from '../shared/State'
import { Report } from '../shared/Report'
import { Reference } from '../shared/Reference'
import { UndoOne } from '../shared/UndoOne'
import { count, moment } from '../shared/words'
import { useDay } from '../shell/day'

const route = getRouteApi('/shell/ledger/$revision')

/** The instant just before one, to the microsecond. */
function justBefore(iso: string): string {
  const [whole, fraction = ''] = iso.replace('Z', '').split('.')
  const micros = BigInt(Date.parse(`${whole}Z`)) * 1000n + BigInt(fraction.padEnd(6, '0').slice(0, 6)) - 1n
  const seconds = new Date(Number(micros / 1000n)).toISOString().slice(0, 19)
  return `${seconds}.${String(micros % 1_000_000n).padStart(6, '0')}Z`
}

/** One revision: who did what and why, what it did to whom, and how to take it back. */
export function RevisionPage() {
  const { revision } = route.useParams()
  const { past } = useDay()
  const number = Number(revision)
  const one = useQuery(ask('/api/v1/revisions/{revision}', { params: { path: { revision: number }, query: { limit: 1000 } } }))
  const r = one.data
  const effect = useQuery({
    ...ask('/api/v1/gained-and-lost', { params: { query: { from: r ? justBefore(r.at) : '', to: r?.at, limit: 200 } } }),
    enabled: r !== undefined && number > 1,
  })
  if (one.error) return <Trouble page error={one.error} retry={() => void one.refetch()} />
  if (!r) return <Loading what={`revision ${revision}`} />
  return (
    <div className="max-w-220">
      <h1>Revision {r.revision}</h1>
      <p className="text-soft mt-1">
        {moment(r.at)}, by {r.by?.label ?? 'the host'}, through {r.account ? r.account.label : r.via}
        {r.claimed && `; dated back when history was loaded on ${moment(r.recorded_at)}`}
      </p>
      <p className="mt-2">
        {r.reason === 'erased' ? 'Its reason was erased.' : r.reason} <Reference to={r.reference} />
      </p>
      <ul className="border-rule mt-3 border-t">
        {r.sentences.map((s, i) => (
          <li key={i} className="border-rule border-b py-1.5">
            {s}
          </li>
        ))}
      </ul>
      {r.more && <p className="text-soft mt-1">and more. The list is too long to show here.</p>}
      <p className="mt-2">
        <Report of="revisions" id={revision} />
      </p>
      {!past && <UndoOne revision={r.revision} />}
      <h2 className="mt-6">What it did</h2>
      {effect.error && <Trouble error={effect.error} retry={() => void effect.refetch()} />}
      {effect.isLoading && <Loading what="its effect" />}
      {effect.data && effect.data.total === 0 && <Empty>Nobody gained or lost access by it.</Empty>}
      {effect.data && effect.data.users.length > 0 && (
        <>
          <p>
            {count(effect.data.total, 'user')}: <span className="text-kelp font-semibold">{effect.data.gained} gained</span>,{' '}
            <span className="text-brick font-semibold">{effect.data.lost} lost</span>.
          </p>
          <ul className="border-rule mt-2 border-t">
            {effect.data.users.map((u) => (
              <DifferenceRow key={u.user.id} difference={u} />
            ))}
          </ul>
          {effect.data.next && <p className="text-soft mt-2">The first 200.</p>}
        </>
      )}
      <h2 className="mt-6">As it is stored</h2>
      <p className="mt-1 font-mono text-sm break-all">{r.hash}</p>
      <pre
        tabIndex={0}
        aria-label="Operations"
        className="bg-sheet border-rule mt-2 max-h-72 overflow-auto rounded-md border p-2 font-mono text-sm whitespace-pre-wrap"
      >
        {(r.operations ?? []).map((o) => JSON.stringify(o)).join('\n')}
      </pre>
      <p className="mt-4 flex gap-4">
        {number > 1 && (
          <Link to="/ledger/$revision" params={{ revision: String(number - 1) }} className="press">
            Revision {number - 1}
          </Link>
        )}
        <Link to="/ledger" className="press">
          Ledger
        </Link>
        <Link to="/ledger/$revision" params={{ revision: String(number + 1) }} className="press">
          Revision {number + 1}
        </Link>
      </p>
    </div>
  )
}
