import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import { DifferenceRow } from '../shared/DifferenceRow'
import { Empty, Loading, Trouble } from '../shared/State'
import { Report } from '../shared/Report'
import { Reference } from '../shared/Reference'
import { UndoOne } from '../shared/UndoOne'
import { moment } from '../shared/words'
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
  if (!r) return <Loading what={t`revision ${revision}`} />
  return (
    <div className="max-w-220">
      <h1>
        <Trans>Revision {r.revision}</Trans>
      </h1>
      <p className="text-soft mt-1">
        <Trans>
          {moment(r.at)}, by {r.by?.label ?? t`the host`}, through {r.account ? r.account.label : r.via}
        </Trans>
        {r.claimed && t`; dated back when history was loaded on ${moment(r.recorded_at)}`}
      </p>
      <p className="mt-2">
        {r.reason === 'erased' ? t`Its reason was erased.` : r.reason} <Reference to={r.reference} />
      </p>
      <ul className="border-rule mt-3 border-t">
        {r.sentences.map((s, i) => (
          <li key={i} className="border-rule border-b py-1.5">
            {s}
          </li>
        ))}
      </ul>
      {r.more && (
        <p className="text-soft mt-1">
          <Trans>and more. The list is too long to show here.</Trans>
        </p>
      )}
      <p className="mt-2">
        <Report of="revisions" id={revision} />
      </p>
      {!past && <UndoOne revision={r.revision} />}
      <h2 className="mt-6">
        <Trans>What it did</Trans>
      </h2>
      {effect.error && <Trouble error={effect.error} retry={() => void effect.refetch()} />}
      {effect.isLoading && <Loading what={t`its effect`} />}
      {effect.data && effect.data.total === 0 && (
        <Empty>
          <Trans>Nobody gained or lost access by it.</Trans>
        </Empty>
      )}
      {effect.data && effect.data.users.length > 0 && (
        <>
          <p>
            {plural(effect.data.total, { one: '# user', other: '# users' })}:{' '}
            <span className="text-kelp font-semibold">
              <Trans>{effect.data.gained} gained</Trans>
            </span>
            ,{' '}
            <span className="text-brick font-semibold">
              <Trans>{effect.data.lost} lost</Trans>
            </span>
            .
          </p>
          <ul className="border-rule mt-2 border-t">
            {effect.data.users.map((u) => (
              <DifferenceRow key={u.user.id} difference={u} />
            ))}
          </ul>
          {effect.data.next && (
            <p className="text-soft mt-2">
              <Trans>The first 200.</Trans>
            </p>
          )}
        </>
      )}
      <h2 className="mt-6">
        <Trans>As it is stored</Trans>
      </h2>
      <p className="mt-1 font-mono text-sm break-all">{r.hash}</p>
      <pre
        tabIndex={0}
        aria-label={t`Operations`}
        className="bg-sheet border-rule mt-2 max-h-72 overflow-auto rounded-md border p-2 font-mono text-sm whitespace-pre-wrap"
      >
        {(r.operations ?? []).map((o) => JSON.stringify(o)).join('\n')}
      </pre>
      <p className="mt-4 flex gap-4">
        {number > 1 && (
          <Link to="/ledger/$revision" params={{ revision: String(number - 1) }} className="press">
            <Trans>Revision {number - 1}</Trans>
          </Link>
        )}
        <Link to="/ledger" className="press">
          <Trans>Ledger</Trans>
        </Link>
        <Link to="/ledger/$revision" params={{ revision: String(number + 1) }} className="press">
          <Trans>Revision {number + 1}</Trans>
        </Link>
      </p>
    </div>
  )
}
