import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation, useQuery } from '@tanstack/react-query'
import { getRouteApi } from '@tanstack/react-router'
import { answer, api } from '../api/client'
import { RevisionRows } from '../shared/Revisions'
import { Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { moment } from '../shared/words'
import { ask } from '../api/ask'
import { windowOf } from '../shared/window'
import { useMe } from '../shell/session'
import type { LedgerSearch } from '../shared/ledgerSearch'
import { LedgerFilters } from './LedgerFilters'

const route = getRouteApi('/shell/ledger')

/** What is chosen, as the service is asked. */
function queryOf(x: LedgerSearch, zone: string) {
  const { from, until } = windowOf({ first: x.first ?? '', last: x.last ?? '' }, zone)
  const [kind, key] = x.about?.split(/:(.*)/) ?? []
  return {
    by: x.by,
    reference: x.reference,
    via: x.via,
    kind: x.kind ? [x.kind] : undefined,
    from,
    until,
    ...(kind && { [kind]: key }),
  }
}

/** Every change that was ever made. */
export function LedgerPage() {
  const search = route.useSearch()
  const me = useMe()
  const begin = useMutation({ mutationFn: () => answer(api.POST('/api/v1/ledger/verification')) })
  const run = useQuery({
    ...ask('/api/v1/ledger/verification'),
    enabled: begin.isSuccess,
    refetchInterval: (q) => (q.state.data?.state === 'ended' ? false : 500),
  })
  // What an earlier press found is not what this one does.
  const now = begin.isSuccess && run.data && run.data.began >= begin.data.began ? run.data : begin.data
  const going = begin.isPending || now?.state === 'running'
  const found = going ? undefined : now?.result
  return (
    <>
      <Title
        list="revisions"
        more={
          <button type="button" className="button-quiet" disabled={going} onClick={() => begin.mutate()}>
            {going ? t`Verifying …` : t`Verify it`}
          </button>
        }
      >
        <Trans>Ledger</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>Every change, with who made it and why. No revision is ever removed; each includes the hash of the one before.</Trans>
      </p>
      <div role="status">
        {going && now && (
          <p className="text-soft mt-3">
            <Trans>
              {now.done.toLocaleString('en')} of {plural(now.of, { one: '# revision', other: '# revisions' })} verified.
            </Trans>
          </p>
        )}
        {found?.verified && (
          <div className="border-kelp mt-3 border-l-3 pl-3">
            <p>
              <Trans>
                {plural(found.revision, { one: '# revision', other: '# revisions' })} verified: every hash and every row matches.
              </Trans>
            </p>
            <p className="font-mono text-sm break-all">{found.hash}</p>
            {found.rows < found.revision && (
              <p>
                <Trans>The rows of a large change are being written: they were compared up to revision {found.rows}.</Trans>
              </p>
            )}
            {found.mended && (
              <p>
                <Trans>
                  Mended, since not all of their operations can be read as they were stored:{' '}
                  {found.mended.length === 1 ? t`revision` : t`revisions`} {found.mended.join(', ')}.
                </Trans>
              </p>
            )}
          </div>
        )}
        {found && !found.verified && (
          <p className="border-brick mt-3 border-l-3 pl-3">
            <Trans>Revision </Trans>
            {found.first_fault}
            <Trans> does not fit: </Trans>
            {found.fault}
            <Trans>. The revisions before it do. Keep the database as it is, and find out what changed it.</Trans>
          </p>
        )}
      </div>
      {(begin.error ?? run.error) && <Trouble error={begin.error ?? run.error} />}
      <LedgerFilters />
      <div className="mt-4">
        <RevisionRows query={queryOf(search, me.time_zone)} />
      </div>
      <Refused />
    </>
  )
}

/** What was tried and refused. */
function Refused() {
  const refusals = useQuery(ask('/api/v1/refusals'))
  if (!refusals.data) return null
  const all = refusals.data.refusals
  return (
    <details className="mt-6">
      <summary>
        <Trans>Tried and refused in the last 90 days: {all.length}</Trans>
      </summary>
      <ul>
        {all.slice(0, 200).map((r, i) => (
          <li key={i} className="border-rule border-b py-2">
            <strong>{r.user.label}</strong> {r.detail}
            <div className="text-soft text-sm">
              {moment(r.last_at)}
              {r.times > 1 && t`, ${r.times} times`} {r.call && t`, ${r.call} through ${r.via}`}
            </div>
          </li>
        ))}
      </ul>
    </details>
  )
}
