import { t } from '@lingui/core/macro'
import type { Operation } from '../api/client'
import { useSheet } from '../shell/sheet'
import { count } from './words'

/** A press that ends what is picked of a list, as one line of the change sheet. */
export function EndPicked({
  verb = 'End',
  what,
  standing,
  operations,
  detail,
  revision,
  clear,
}: {
  verb?: 'End' | 'Retire'
  /** What one of them is, as "freeze". */
  what: string
  /** Those of the picked that have not ended. */
  standing: { label: string }[]
  operations: Operation[]
  detail?: string
  revision: number
  clear: () => void
}) {
  const sheet = useSheet()
  const names = standing.map((x) => x.label).join(', ')
  return (
    <button
      type="button"
      className="button-quiet"
      disabled={standing.length === 0}
      onClick={() => {
        const one = standing.length === 1
        sheet.add(
          {
            verb,
            what: one ? t`the ${what} ${names}` : count(standing.length, what),
            detail: detail ?? (one ? undefined : names),
            operations,
          },
          revision,
        )
        clear()
      }}
    >
      {verb}
    </button>
  )
}
