import { Trans } from '@lingui/react/macro'
import { plural } from '@lingui/core/macro'
import type { Schemas } from '../api/client'
import { PathText } from './PathText'

/** Things somebody or some role can do, under a title. */
export function Things({ title, lines, ink }: { title: string; lines: Schemas['Entitlement'][]; ink: string }) {
  return (
    <section aria-label={title}>
      <h2 className={`border-rule border-b pb-1 font-semibold ${ink}`}>
        {title} <span className="font-normal">{plural(lines.length, { one: '# thing', other: '# things' })}</span>
      </h2>
      <ul>
        {lines.slice(0, 200).map((l, i) => (
          <li key={i} className="border-rule border-b py-1 text-sm">
            {l.action} <PathText path={l.target} />
            {l.own && (
              <span className="text-soft">
                <Trans>, their own</Trans>
              </span>
            )}
            <span className="text-soft block">{l.application.label}</span>
          </li>
        ))}
      </ul>
      {lines.length > 200 && (
        <p className="text-soft text-sm">
          <Trans>and {lines.length - 200} more</Trans>
        </p>
      )}
    </section>
  )
}
