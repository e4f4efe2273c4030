import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import type { Schemas } from '../api/client'
import { namesOf } from '../shared/named'
import { PathText } from '../shared/PathText'
import { lastDay, shortDay, times } from '../shared/words'

/** What the sheet would do, in a few lines; the rest on demand. */
export function Effect({ result, title = t`What this does` }: { result: Schemas['ChangeResult']; title?: string }) {
  const p = result.preview
  if (!p) return null
  const name = namesOf(p.effects.flatMap((e) => e.users))
  return (
    <div className="bg-wash mt-3 rounded-md p-3">
      <h3 className="font-semibold">{title}</h3>
      {result.unchanged && <p>{result.notes?.map((n) => n.message).join(' ') || t`No change: it is so already.`}</p>}
      {p.effects.slice(0, Math.min(8, p.effect_count)).map((e, i) => (
        <EffectLine key={i} effect={e} name={name} />
      ))}
      {p.effect_count > 8 && (
        <p className="text-soft text-sm">
          <Trans>and {p.effect_count - 8} more effects</Trans>
        </p>
      )}
      {p.states?.map((s) => (
        <p key={s.application.id}>{s.message}</p>
      ))}
      {result.notes
        ?.filter((n) => n.code === 'decides')
        .map((n, i) => (
          <p key={i}>{n.message}</p>
        ))}
      {!result.unchanged && p.effects.length === 0 && !p.states && (
        <p>
          <Trans>Nobody gains or loses anything.</Trans>
        </p>
      )}
      {p.effects.length > 0 && !p.outside && (
        <p className="text-soft text-sm">
          <Trans>
            <span className="mr-1.5 inline-block w-7 text-right">0</span>nobody else is affected
          </Trans>
        </p>
      )}
      {p.outside && (
        <p className="text-soft text-sm">
          <Trans>This may also affect people you cannot see.</Trans>
        </p>
      )}
    </div>
  )
}

function EffectLine({ effect: e, name }: { effect: Schemas['Effect']; name: (u: Schemas['Ref']) => string }) {
  const who = e.user_count === 1 && e.users[0] ? name(e.users[0]) : plural(e.user_count, { one: '# user', other: '# users' })
  const verb = e.user_count === 1 ? { gain: t`gains`, lose: t`loses` } : { gain: t`gain`, lose: t`lose` }
  const sides = [
    { sign: '+', ink: 'text-kelp', word: verb.gain, lines: e.gained ?? [] },
    { sign: '−', ink: 'text-brick', word: verb.lose, lines: e.lost ?? [] },
  ].filter((s) => s.lines.length > 0)
  return sides.map((s) => (
    <details key={s.sign} className="text-sm">
      <summary className="flex list-none gap-1.5">
        <span className={`w-7 shrink-0 text-right font-semibold ${s.ink}`}>
          {s.sign}
          {s.lines.length}
        </span>
        <span>
          <Trans>
            {who} {s.word} {plural(s.lines.length, { one: '# entitlement', other: '# entitlements' })} in{' '}
            {[...new Set(s.lines.map((l) => l.application.label))].join(', ')}
            {whenOf(s.lines)}
          </Trans>
          {e.end_early && t` (${e.end_early.toLocaleString('en')} of them until their own last day)`}
        </span>
      </summary>
      <ul className="my-1 ml-8">
        {s.lines.map((l, i) => (
          <li key={i}>
            {l.action} <PathText path={l.target} />
            {l.own && (
              <span className="text-soft">
                <Trans>, their own</Trans>
              </span>
            )}
            {l.schedule && <span className="text-soft">, {l.schedule.words}</span>}
            {l.when && <span className="text-brass"> {times(l.when)}</span>}
            {!l.when && l.from && (
              <span className="text-soft">
                <Trans> from {shortDay(l.from)}</Trans>
              </span>
            )}
            {!l.when && l.until && (
              <span className="text-brass">
                <Trans> until {lastDay(l.until)}</Trans>
              </span>
            )}
          </li>
        ))}
      </ul>
      {e.user_count > 1 && (
        <p className="text-soft mb-1 ml-8">
          {e.users.slice(0, 12).map(name).join(', ')}
          {e.user_count > 12 && t` and ${e.user_count - 12} more`}
        </p>
      )}
    </details>
  ))
}

/** When entitlements begin and end, where that is the same for all of them. */
function whenOf(lines: Schemas['Entitlement'][]): string {
  const same = (of: (l: Schemas['Entitlement']) => string | undefined) => {
    const first = lines[0] && of(lines[0])
    return lines.every((l) => !l.when && of(l) === first) ? first : undefined
  }
  const from = same((l) => l.from)
  const until = same((l) => l.until)
  const some = lines.some((l) => l.from || l.until || l.when)
  if (!from && !until) return some ? t`, at different times` : ''
  return `${from ? t` from ${shortDay(from)}` : ''}${until ? t` until ${lastDay(until)}` : ''}`
}
