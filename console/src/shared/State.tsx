import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { ReactNode } from 'react'
import { ProblemError } from '../api/client'

export function Loading({ what }: { what: string }) {
  return (
    <p role="status" className="text-soft py-6">
      <Trans>Reading {what} …</Trans>
    </p>
  )
}

export function Empty({ children }: { children: ReactNode }) {
  return <div className="text-soft py-6">{children}</div>
}

/** What went wrong, with every fault the service named; page: it stands in for
 * the whole page. */
export function Trouble({ error, retry, page }: { error: unknown; retry?: () => void; page?: boolean }) {
  const p = error instanceof ProblemError ? error.problem : undefined
  const title = p?.title ?? t`Something went wrong`
  const denied = p?.status === 403 || p?.status === 404
  return (
    <div role="alert" className={`my-4 border-l-3 py-1 pl-3 ${denied ? 'border-brass' : 'border-brick'}`}>
      {page ? <h1>{title}</h1> : <p className="font-semibold">{title}</p>}
      <p>{p?.detail ?? t`The page could not be drawn. Load it again.`}</p>
      <Faults problem={p} />
      {retry && !denied && (
        <button type="button" className="press mt-1" onClick={retry}>
          <Trans>Try again</Trans>
        </button>
      )}
    </div>
  )
}

export function Faults({ problem }: { problem?: ProblemError['problem'] }) {
  const faults = (problem?.faults ?? []).filter((f) => !problem?.detail?.endsWith(f.message))
  if (faults.length === 0) return null
  return (
    <ul className="mt-1 list-disc pl-5 text-sm">
      {faults.map((f, i) => (
        <li key={i}>
          {f.place.replace(/^\/operations\/\d+\/?/, '').replace(/^\//, '')} {f.message}
          {f.did_you_mean && (
            <>
              <Trans> — did you mean {f.did_you_mean.join(' or ')}?</Trans>
            </>
          )}
        </li>
      ))}
    </ul>
  )
}
