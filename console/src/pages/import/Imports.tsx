import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../../api/ask'
import { answer, api, ProblemError, type Schemas } from '../../api/client'
import { moment } from '../../shared/words'

type Import = Schemas['Import']
type Sent = Promise<{ data?: Schemas['ChangeResult'] | Import; error?: unknown; response: Response }>

/** What a file did that was sent under a name. It takes as long as it takes: one that a call
 * cannot wait for is asked about until it has ended. */
export async function ended(name: string, sent: Sent): Promise<Schemas['ChangeResult']> {
  const first = await answer(sent)
  if (!('state' in first)) return first
  for (;;) {
    await new Promise((go) => setTimeout(go, 700))
    let is: Import
    try {
      is = await answer(api.GET('/api/v1/imports/{name}', { params: { path: { name: name } } }))
    } catch (error) {
      if (error instanceof ProblemError && (error.problem.status === 0 || error.problem.status === 503)) continue
      throw error
    }
    if (is.problem) throw new ProblemError(is.problem)
    if (is.result) return is.result
    if (is.ended)
      throw new ProblemError({
        type: 'conflict',
        title: t`Cancelled`,
        status: 409,
        detail: t`The import was cancelled: nothing was changed.`,
      })
  }
}

/** How far it is, and a way to stop it. */
export function Progress({ track }: { track: string }) {
  const far = useQuery({
    refetchInterval: 400,
    retry: false,
    ...ask('/api/v1/imports/{name}', { params: { path: { name: track } } }),
  })
  const p = far.data
  return (
    <div className="bg-wash mt-4 flex max-w-200 items-center gap-4 rounded-md p-3" role="status">
      <span className="w-64">{p && p.state !== 'receiving' ? p.stage || p.state : t`sending`} …</span>
      <progress
        aria-label={t`How far it is`}
        className="accent-harbour grow"
        max={p?.of || undefined}
        value={p?.of && p.done ? p.done : undefined}
      />
      <span className="text-soft text-sm">
        {p?.of && p.done ? t`${plural(p.done, { one: '# operation', other: '# operations' })} of ${p.of.toLocaleString('en')}` : ''}
        {p?.seconds_left ? t`, about ${p.seconds_left} s left` : ''}
      </span>
      <button
        type="button"
        className="press"
        onClick={() => void api.DELETE('/api/v1/imports/{name}', { params: { path: { name: track } } })}
      >
        <Trans>Cancel</Trans>
      </button>
    </div>
  )
}

const holds: Record<Import['kind'], string> = {
  users: t`Users`,
  groups: t`Groups`,
  memberships: t`Memberships`,
  assignments: t`Assignments`,
  roster_file: t`Roster file`,
}

const states: Record<Import['state'], string> = {
  receiving: t`Sending`,
  waiting: t`Waiting`,
  working: t`Under way`,
  done: t`Done`,
  refused: t`Refused`,
  cancelled: t`Cancelled`,
}

/** One's own imports of the last day: they go on when one leaves the page. */
export function Imports() {
  const all = useQuery({
    ...ask('/api/v1/imports'),
    refetchInterval: (q) => (q.state.data?.imports.some((x) => !x.ended) ? 1000 : false),
  })
  const rows = all.data?.imports ?? []
  if (rows.length === 0) return null
  return (
    <section aria-label={t`Your imports of the last day`} className="mt-8">
      <h2>
        <Trans>Your imports of the last day</Trans>
      </h2>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>
              <Trans>File</Trans>
            </th>
            <th>
              <Trans>Holds</Trans>
            </th>
            <th>
              <Trans>Sent</Trans>
            </th>
            <th>
              <Trans>State</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((x) => (
            <tr key={x.name}>
              <td className="break-all">{x.file || '–'}</td>
              <td>{holds[x.kind]}</td>
              <td>{moment(x.sent)}</td>
              <td>
                {states[x.state]}
                {x.dry_run && x.state === 'done' && t` (preview)`}
                {!x.ended && x.stage && `: ${x.stage}`}
                {x.revision ? (
                  <>
                    <Trans>
                      {', as '}
                      <Link to="/ledger/$revision" params={{ revision: String(x.revision) }} className="press">
                        revision {x.revision}
                      </Link>
                    </Trans>
                  </>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}
