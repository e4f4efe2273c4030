import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { PathText } from '../../shared/PathText'

/** What an import does, or would do. */
export function Outcome({ result: r }: { result: Schemas['ChangeResult'] }) {
  const p = r.preview
  return (
    <section aria-label={t`What it does`} className="bg-wash mt-5 rounded-md p-3">
      <h2>{r.dry_run ? t`What it would do` : r.unchanged ? t`Nothing to change` : t`Committed as revision ${r.revision}`}</h2>
      <ul className="mt-1 list-disc pl-5">
        {r.sentences.map((s) => (
          <li key={s}>{s}</li>
        ))}
      </ul>
      {p && p.effects.length === 0 && !r.unchanged && (
        <p className="mt-2">
          <Trans>Nobody gains or loses anything.</Trans>
        </p>
      )}
      {p?.effects.slice(0, Math.min(12, p.effect_count)).map((e, i) => (
        <details key={i} className="mt-1.5">
          <summary>
            {e.user_count === 1 ? e.users[0]?.label : plural(e.user_count, { one: '# user', other: '# users' })}{' '}
            {e.gained && e.gained.length > 0 && <span className="text-kelp font-semibold">+{e.gained.length} </span>}
            {e.lost && e.lost.length > 0 && <span className="text-brick font-semibold">−{e.lost.length} </span>}
            <span className="text-soft">
              <Trans>in {[...new Set([...(e.gained ?? []), ...(e.lost ?? [])].map((l) => l.application.label))].join(', ')}</Trans>
            </span>
          </summary>
          <ul className="ml-6 text-sm">
            {(e.gained ?? []).map((l, k) => (
              <li key={k} className="text-kelp">
                + {l.action} <PathText path={l.target} /> <span className="text-soft">{l.application.label}</span>
              </li>
            ))}
            {(e.lost ?? []).map((l, k) => (
              <li key={k} className="text-brick">
                − {l.action} <PathText path={l.target} /> <span className="text-soft">{l.application.label}</span>
              </li>
            ))}
          </ul>
        </details>
      ))}
      {p && p.effect_count > 12 && (
        <p className="text-soft mt-1">
          <Trans>and {p.effect_count - 12} more effects</Trans>
        </p>
      )}
      {p?.outside && (
        <p className="text-brass mt-1">
          <Trans>This may also affect people you cannot see.</Trans>
        </p>
      )}
    </section>
  )
}
