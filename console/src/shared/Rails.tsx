import { Trans } from '@lingui/react/macro'
import type { Schemas } from '../api/client'
import { Link } from '@tanstack/react-router'
import { Mark } from './Mark'

/** The guard rails a change runs into, each to be meant where it may be passed. */
export function Rails({ rails, passed, pass }: { rails: Schemas['Rail'][]; passed: string[]; pass: (codes: string[]) => void }) {
  return rails.map((r, i) => (
    <div key={`${r.code} ${i}`} className="border-brass mt-3 border-l-3 pl-3">
      <p>
        <Mark name="warns" /> {r.message}{' '}
        <Link to="/guard-rails" hash={r.code} className="press text-sm">
          <Trans>What is this?</Trans>
        </Link>
      </p>
      {!r.passable && !r.passed && (
        <p className="text-soft mt-1 text-sm">
          <Trans>No acknowledgement is possible: edit or remove the line, or pass it on to somebody who may.</Trans>
        </p>
      )}
      {r.passable && (
        <label className="mt-1 flex gap-2 text-sm">
          <input
            type="checkbox"
            checked={passed.includes(r.code)}
            onChange={(e) => pass(e.target.checked ? [...passed, r.code] : passed.filter((c) => c !== r.code))}
          />
          <Trans>I acknowledge this</Trans>
        </label>
      )}
    </div>
  ))
}
