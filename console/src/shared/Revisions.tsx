import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useInfiniteQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { Fragment, useState } from 'react'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { Reference } from './Reference'
import { UndoOne } from './UndoOne'
import { Empty, Loading, Trouble } from './State'
import { moment } from './words'
import { askPages } from '../api/ask'

type RevisionQuery = {
  user?: string
  role?: string
  group?: string
  by?: string
  reference?: string
  via?: string
  kind?: string[]
  from?: string
  until?: string
}

/** Revisions of the ledger, newest first, each opening to its operations. */
export function RevisionRows({ query }: { query: RevisionQuery }) {
  const { asOf } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const [open, setOpen] = useState<number>()
  const revisions = useInfiniteQuery({
    ...askPages('/api/v1/revisions', (cursor) => ({ params: { query: { ...query, as_of: asOf, limit: 50, cursor } } })),
  })
  if (revisions.error) return <Trouble error={revisions.error} retry={() => void revisions.refetch()} />
  if (!revisions.data) return <Loading what={t`the ledger`} />
  const rows = revisions.data.pages.flatMap((p) => p.revisions)
  if (rows.length === 0)
    return <Empty>{Object.values(query).some((v) => v !== undefined) ? t`No change matches.` : t`No changes yet.`}</Empty>
  return (
    <>
      <table className="register">
        <thead>
          <tr>
            <th className="w-20">
              <Trans>Revision</Trans>
            </th>
            <th className="w-40">
              <Trans>When</Trans>
            </th>
            <th className="w-36">
              <Trans>Who</Trans>
            </th>
            <th>
              <Trans>What, and why</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <Fragment key={r.revision}>
              <tr className={open === r.revision ? 'bg-open [&>td]:border-b-0' : ''}>
                <td>
                  <button
                    type="button"
                    className="press font-mono"
                    aria-expanded={open === r.revision}
                    aria-label={t`Revision ${r.revision}, its operations`}
                    onClick={() => setOpen(open === r.revision ? undefined : r.revision)}
                  >
                    {r.revision}
                  </button>
                </td>
                <td className="text-sm">{moment(r.at)}</td>
                <td className="text-sm">
                  {r.by?.label ?? t`the host`}
                  {r.account && (
                    <div className="text-soft">
                      <Trans>through {r.account.label}</Trans>
                    </div>
                  )}
                </td>
                <td>
                  <Sentences sentences={r.sentences} all={open === r.revision} more={r.more} />
                  <div className="text-soft text-sm">
                    {r.reason === 'erased' ? t`Its reason was erased.` : r.reason}
                    {r.reference && ' · '}
                    <Reference to={r.reference} />
                  </div>
                </td>
              </tr>
              {open === r.revision && (
                <tr className="bg-open">
                  <td colSpan={4} className="pt-0!">
                    <Link to="/ledger/$revision" params={{ revision: String(r.revision) }} className="press text-sm">
                      <Trans>Its page, with its effect</Trans>
                    </Link>
                    <p className="text-soft text-sm">
                      <Trans>Through {r.account ? r.account.label : r.via}</Trans>
                      {r.claimed && t`; dated back when history was loaded on ${moment(r.recorded_at)}`}
                    </p>
                    <p className="font-mono text-sm break-all">{r.hash}</p>
                    <pre
                      tabIndex={0}
                      aria-label={t`Operations`}
                      className="bg-sheet border-rule mt-1 max-h-72 overflow-auto rounded-md border p-2 font-mono text-sm whitespace-pre-wrap"
                    >
                      {(r.operations ?? []).map((o) => JSON.stringify(o)).join('\n')}
                    </pre>
                    {me.may['ledger.read'] && !asOf && <UndoOne revision={r.revision} />}
                    {me.may['ledger.update'] && !asOf && r.reason !== 'erased' && (
                      <button
                        type="button"
                        className="button-quiet mt-2 ml-2"
                        onClick={() =>
                          sheet.add(
                            {
                              verb: t`Erase`,
                              what: t`the reason of revision ${r.revision}`,
                              detail: t`It cannot be brought back.`,
                              operations: [{ op: 'erase_reason', revision: r.revision }],
                            },
                            me.revision,
                          )
                        }
                      >
                        <Trans>Erase its reason</Trans>
                      </button>
                    )}
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
        </tbody>
      </table>
      {revisions.hasNextPage && (
        <button
          type="button"
          className="button-quiet mt-3"
          disabled={revisions.isFetchingNextPage}
          onClick={() => void revisions.fetchNextPage()}
        >
          <Trans>Earlier revisions</Trans>
        </button>
      )}
    </>
  )
}

function Sentences({ sentences, all, more }: { sentences: string[]; all: boolean; more?: boolean }) {
  const shown = all ? sentences : sentences.slice(0, 3)
  return (
    <>
      {shown.map((s, i) => (
        <div key={i}>{s}</div>
      ))}
      {sentences.length > shown.length && (
        <div className="text-soft">
          <Trans>and </Trans>
          {more && t`more than `}
          <Trans>{sentences.length - shown.length} more</Trans>
        </div>
      )}
      {all && more && (
        <div className="text-soft">
          <Trans>and more. The list is too long to show here.</Trans>
        </div>
      )}
    </>
  )
}
