import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { list, shortDay } from '../../shared/words'

/** In what ink a state stands. */
export const inks: Record<Schemas['Request']['state'], string> = {
  waiting: 'text-brass',
  approved: 'text-kelp',
  refused: 'text-brick',
  withdrawn: 'text-soft',
}

/** One request in a list: who wants what, where it is, and why it was asked. */
export function RequestLine({ request: r }: { request: Schemas['Request'] }) {
  return (
    <li className="border-rule border-b py-2">
      <div className="flex items-baseline justify-between gap-4">
        <Link to="/requests/$request" params={{ request: r.id }} className="press">
          <Trans>
            {r.role.label} for {r.beneficiary.label}
          </Trans>
        </Link>
        <span className={inks[r.state]}>{r.state}</span>
      </div>
      <div className="text-soft text-sm">
        {whereItIs(r)}
        {r.asked?.reason && (
          <>
            {' '}
            {shortDay(r.asked.at)}: {r.asked.reason}
          </>
        )}
      </div>
    </li>
  )
}

/** Whom a request waits for, in words; nothing once it is decided. */
export function whereItIs(r: Schemas['Request']): string {
  const here = r.steps.find((s) => s.state === 'current')
  if (!here) return ''
  const names = (here.deciders ?? []).map((d) => d.label)
  if (here.trouble) return here.trouble
  return names.length <= 3 ? t`Waits for ${list(names)}.` : t`Waits for ${here.words}.`
}

/** Requests one below the other. */
export function RequestLines({ requests }: { requests: Schemas['Request'][] }) {
  return (
    <ul>
      {requests.map((r) => (
        <RequestLine key={r.id} request={r} />
      ))}
    </ul>
  )
}
