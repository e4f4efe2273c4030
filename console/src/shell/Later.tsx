import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { asked } from '../api/ask'
import { answer, api, ProblemError, type Schemas } from '../api/client'
import { Faults } from '../shared/State'
import { instantOf, moment } from '../shared/words'
import { useMe } from './session'
import { useSheet } from './sheet'

/** Has the sheet be made at a date, or keeps it under a name. */
export function Later({
  reason,
  acknowledge,
  ready,
  done,
}: {
  reason: string
  acknowledge: string[]
  /** What is on the sheet could be made, but for a freeze. */
  ready: boolean
  done: (p: Schemas['PendingChange']) => void
}) {
  const sheet = useSheet()
  const me = useMe()
  const queries = useQueryClient()
  const id = useId()
  const [day, setDay] = useState('')
  const [time, setTime] = useState('00:00')
  const [name, setName] = useState('')
  const prepare = useMutation({
    mutationFn: (how: { at: string } | { name: string }) =>
      answer(
        api.POST('/api/v1/pending-changes', {
          body: {
            ...how,
            reason,
            reference: sheet.reference,
            ...('at' in how && { based_on: sheet.basedOn, acknowledge }),
            lines: sheet.lines.map((l) => ({ words: `${l.verb} ${l.what}`.trim(), detail: l.detail, operations: l.operations })),
          },
        }),
      ),
    onSuccess: async (p) => {
      sheet.clear()
      await queries.invalidateQueries(asked('/api/v1/pending-changes'))
      done(p)
    },
  })
  const at = day && time ? instantOf(day, time, me.time_zone) : ''
  const problem = prepare.error instanceof ProblemError ? prepare.error.problem : undefined
  return (
    <details className="border-rule mt-4 border-t pt-2">
      <summary className="text-sm">
        <Trans>At a date, or keep it for later</Trans>
      </summary>
      <div className="mt-2 flex gap-2">
        <label className="grow">
          <Trans>Day</Trans>
          <input type="date" className="field mt-0.5" value={day} onChange={(e) => setDay(e.target.value)} />
        </label>
        <label>
          <Trans>Time</Trans>
          <input type="time" className="field mt-0.5" value={time} onChange={(e) => setTime(e.target.value)} />
        </label>
      </div>
      <button
        type="button"
        className="button-quiet mt-2"
        disabled={!ready || !at || reason.trim() === '' || prepare.isPending}
        aria-describedby={id}
        onClick={() => prepare.mutate({ at })}
      >
        <Trans>Make it at this date</Trans>
      </button>
      <p id={id} className="text-soft mt-1 text-sm">
        <Trans>{at && t`At ${moment(at)}. `}It is checked once more then. If its effect has changed by then, it comes back to you.</Trans>
      </p>
      <label className="mt-3 block">
        <Trans>Name</Trans>
        <input className="field mt-0.5" maxLength={100} value={name} onChange={(e) => setName(e.target.value)} />
      </label>
      <button
        type="button"
        className="button-quiet mt-2"
        disabled={name.trim() === '' || prepare.isPending}
        onClick={() => prepare.mutate({ name: name.trim() })}
      >
        <Trans>Keep it under this name</Trans>
      </button>
      {problem && (
        <div role="alert" className="border-brick mt-2 border-l-3 pl-3">
          <p>{problem.detail}</p>
          <Faults problem={problem} />
        </div>
      )}
    </details>
  )
}
