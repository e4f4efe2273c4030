import { Trans } from '@lingui/react/macro'
import type { Schemas } from '../api/client'
import { Mark } from './Mark'
import { PathText } from './PathText'

/** What limits an assignment besides its window: scopes and a schedule. */
export function Limits({ assignment: a }: { assignment: Pick<Schemas['Assignment'], 'scopes' | 'schedule'> }) {
  return (
    <>
      {(a.scopes ?? []).map((s, i) => (
        <div key={i} className="text-soft text-sm">
          <Trans>
            within <PathText path={s.pattern} /> of {s.application.label}
          </Trans>
        </div>
      ))}
      {a.schedule && (
        <div className="text-soft text-sm">
          <Mark name="scheduled" /> {a.schedule.words}
        </div>
      )}
    </>
  )
}
