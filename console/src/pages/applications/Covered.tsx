import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { ProblemError } from '../../api/client'
import { ask } from '../../api/ask'

/** What a pattern covers today and what it will, as it is typed. */
export function Covered({ application, pattern }: { application: string; pattern: string }) {
  const text = pattern.trim()
  const covered = useQuery({
    enabled: text !== '' && application !== '',
    placeholderData: keepPreviousData,
    retry: false,
    ...ask('/api/v1/applications/{application}/covered', { params: { path: { application }, query: { pattern: text } } }),
  })
  if (text === '' || application === '') return null
  const problem = covered.error instanceof ProblemError ? covered.error.problem : undefined
  const c = covered.data
  return (
    <p className="text-soft mt-1 min-h-6 text-sm" aria-live="polite">
      {problem && <span className="text-brick">{problem.faults?.[0]?.message ?? problem.detail}</span>}
      {!problem && c && c.total === 0 && (
        <span className="text-brass">
          <Trans>Covers nothing registered today, {c.later}.</Trans>
        </span>
      )}
      {!problem && c && c.total > 0 && (
        <>
          <Trans>
            Covers {plural(c.total, { one: '# resource', other: '# resources' })} today:{' '}
            <span className="font-mono">{c.paths.slice(0, 6).join(', ')}</span>
          </Trans>
          {c.total > 6 && t` and ${c.total - 6} more`}; {c.later}.
        </>
      )}
    </p>
  )
}
