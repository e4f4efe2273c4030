import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import type { Schemas } from '../api/client'
import { PathActs } from './PathActs'
import { PathText } from './PathText'
import { Limits } from './Limits'
import { lastDay, list, moment, shortDay } from './words'

type Step = Schemas['Step']

const reasonWords: Record<string, string> = {
  not_owner: t`gives it only on their own`,
  outside_schedule: t`does not hold at this time of the week`,
  not_yet: t`has not begun yet`,
  ended: t`has ended`,
  out_of_scope: t`is limited to other parts`,
  fenced: t`does not pass the fence`,
}

/** The chain of facts from a user to a permission, read left to right. */
export function Path({ path }: { path: Schemas['Path'] }) {
  return (
    <div>
      <ol className="border-rule bg-sheet flex flex-wrap overflow-hidden rounded-md border">
        {path.steps.map((s, i) => (
          <li key={i} className="border-rule relative min-w-36 flex-1 border-r px-3 py-2 last:border-r-0">
            <Box step={s} first={i === 0} />
          </li>
        ))}
      </ol>
      <PathActs path={path} />
      {path.fails && (
        <p className="text-brass mt-1 text-sm">
          <Trans>This path does not hold now: it {reasonWords[path.fails] ?? path.fails}.</Trans>
        </p>
      )}
    </div>
  )
}

function Box({ step: s, first }: { step: Step; first: boolean }) {
  return (
    <>
      {!first && <span aria-hidden className="border-rule bg-sheet absolute top-1/2 -left-[5px] size-2 rotate-45 border-t border-r" />}
      <div className="text-soft text-sm">{caption(s)}</div>
      <div className="font-semibold">
        {s.outside ? (
          <span className="text-soft font-normal italic">{s.label}</span>
        ) : s.kind === 'permission' ? (
          list(s.actions ?? [])
        ) : s.kind === 'group' && s.key ? (
          <Link to="/groups/$group" params={{ group: s.key }} search={true} className="press">
            {s.label}
          </Link>
        ) : (s.kind === 'role' || s.kind === 'included_role') && s.key ? (
          <Link to="/roles/$role" params={{ role: s.key }} search={true} className="press">
            {s.label}
          </Link>
        ) : (
          s.label
        )}
      </div>
      {s.kind === 'permission' && (
        <div>
          <PathText path={s.pattern ?? ''} />{' '}
          <span className="text-soft text-sm">
            <Trans>in </Trans>
            {s.application?.label}
          </span>
        </div>
      )}
      {s.default && (
        <div className="text-soft text-sm">
          <Trans>by the default rule {s.default.label}</Trans>
        </div>
      )}
      {s.rule && <div className="text-soft font-mono text-sm">{s.rule}</div>}
      {s.kind === 'permission' && s.own && (
        <div className="text-soft text-sm">
          <Trans>only on their own</Trans>
        </div>
      )}
      {s.kind === 'role' && <Limits assignment={s} />}
      {s.given?.reason && (
        <div className="text-soft text-sm" title={moment(s.given.at)}>
          {s.given.by ? `${s.given.by.label}, ` : ''}
          {shortDay(s.given.at)}: {s.given.reason}
        </div>
      )}
    </>
  )
}

function caption(s: Step): string {
  const ends = s.until ? t` until ${lastDay(s.until)}` : ''
  const begins = s.from ? t` from ${shortDay(s.from)}` : ''
  switch (s.kind) {
    case 'user':
    case 'nobody':
      return 'user'
    case 'group':
      return s.rule ? t`chosen by its rule` : s.given || s.default ? `member${begins}${ends}` : t`counts among`
    case 'role':
      return `holds${begins}${ends}`
    case 'included_role':
      return 'includes'
    default:
      return 'permits'
  }
}
