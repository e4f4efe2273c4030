import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { PathText } from './PathText'
import { lastDay, times } from './words'

/** What somebody gained and lost, opened on a press. */
export function DifferenceRow({ difference: d }: { difference: Schemas['Difference'] }) {
  const gained = d.gained ?? []
  const lost = d.lost ?? []
  return (
    <li className="border-rule border-b py-1.5">
      <details>
        <summary className="flex gap-4 px-2">
          <span className="w-64 shrink-0 truncate">{d.user.label}</span>
          <span className="text-kelp w-24">{gained.length > 0 && t`+${gained.length} gained`}</span>
          <span className="text-brick w-24">{lost.length > 0 && t`−${lost.length} lost`}</span>
          <span className="text-soft truncate">{[...new Set([...gained, ...lost].map((e) => e.application.label))].join(', ')}</span>
        </summary>
        <div className="mt-1 mb-2 ml-2">
          <Link to="/users/$user" params={{ user: d.user.key! }} search={{ tab: 'history' }} className="press text-sm">
            <Trans>Who changed it, and why</Trans>
          </Link>
          <DifferenceLines difference={d} />
        </div>
      </details>
    </li>
  )
}

/** What somebody gained and lost, line by line. */
export function DifferenceLines({ difference: d }: { difference: Schemas['Difference'] }) {
  return (
    <>
      <Lines sign="+" ink="text-kelp" lines={d.gained ?? []} />
      <Lines sign="−" ink="text-brick" lines={d.lost ?? []} />
    </>
  )
}

function Lines({ sign, ink, lines }: { sign: string; ink: string; lines: Schemas['Entitlement'][] }) {
  return (
    <ul className="text-sm">
      {lines.map((e, i) => (
        <li key={i}>
          <span className={`${ink} inline-block w-4 font-semibold`}>{sign}</span>
          {e.application.label}: {e.action} <PathText path={e.target} />
          {e.own && (
            <span className="text-soft">
              <Trans>, their own</Trans>
            </span>
          )}
          {e.schedule && <span className="text-soft">, {e.schedule.words}</span>}
          {e.when ? (
            <span className="text-brass"> {times(e.when)}</span>
          ) : (
            e.until && (
              <span className="text-brass">
                <Trans> until {lastDay(e.until)}</Trans>
              </span>
            )
          )}
        </li>
      ))}
    </ul>
  )
}
