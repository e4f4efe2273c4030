import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError, type Schemas } from '../api/client'
import { Faults } from '../shared/State'
import { useSheet, type Line } from './sheet'
import { asked } from '../api/ask'

/** The lines of the sheet with an operation that somebody else must make. */
export function othersOf(lines: Line[], split: Schemas['Split']): Line[] {
  const ends = lines.map((_, i) => lines.slice(0, i + 1).reduce((n, l) => n + l.operations.length, 0))
  return lines.filter((l, i) => split.others.some((o) => o >= ends[i]! - l.operations.length && o < ends[i]!))
}

/** The operations that is not for whoever made the sheet, and to whom it
 * can be passed. */
export function PassOn({
  others,
  split,
  reason,
  done,
}: {
  others: Line[]
  split: Schemas['Split']
  reason: string
  done: (p: Schemas['PendingChange']) => void
}) {
  const sheet = useSheet()
  const queries = useQueryClient()
  const [to, setTo] = useState('')
  const pass = useMutation({
    mutationFn: () =>
      answer(
        api.POST('/api/v1/pending-changes', {
          body: {
            to,
            reason,
            reference: sheet.reference,
            lines: others.map((l) => ({ words: `${l.verb} ${l.what}`.trim(), detail: l.detail, operations: l.operations })),
          },
        }),
      ),
    onSuccess: async (passed) => {
      sheet.remove(...others.map((l) => l.id))
      await queries.invalidateQueries(asked('/api/v1/pending-changes'))
      done(passed)
    },
  })
  const rest = sheet.lines.length - others.length
  return (
    <section aria-label={t`For somebody else to make`} className="border-brass mt-3 border-l-3 pl-3">
      <h3 className="font-semibold">
        <Trans>For somebody else to make</Trans>
      </h3>
      <ul>
        {others.map((l) => (
          <li key={l.id}>
            {l.verb} {l.what}
          </li>
        ))}
      </ul>
      <label htmlFor="pass-to" className="mt-2 block">
        <Trans>Pass it on to</Trans>
      </label>
      <select id="pass-to" className="field mt-0.5" value={to} onChange={(e) => setTo(e.target.value)}>
        <option value="">
          <Trans>Anybody who may make it</Trans>
        </option>
        {split.can.map((u) => (
          <option key={u.id} value={u.key}>
            {u.label}
          </option>
        ))}
      </select>
      <button type="button" className="button-quiet mt-2" disabled={reason.trim() === '' || pass.isPending} onClick={() => pass.mutate()}>
        <Trans>Pass {plural(others.length, { one: '# change', other: '# changes' })} on</Trans>
      </button>
      {reason.trim() === '' && (
        <p className="text-soft mt-1 text-sm">
          <Trans>Enter a reason below: the receiver reads it.</Trans>
        </p>
      )}
      {rest > 0 && (
        <p className="text-soft mt-1 text-sm">
          <Trans>The rest stays on your sheet.</Trans>
        </p>
      )}
      {pass.error instanceof ProblemError && (
        <div role="alert" className="mt-1">
          <p>{pass.error.problem.detail}</p>
          <Faults problem={pass.error.problem} />
          {rest > 0 && (
            <p>
              <Trans>If it depends on the rest of the sheet, remove it, commit the rest first, and add it again.</Trans>
            </p>
          )}
        </div>
      )}
    </section>
  )
}
