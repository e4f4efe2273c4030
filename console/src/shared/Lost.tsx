import { Trans } from '@lingui/react/macro'
/** Says that no answer came to what was sent, and that it is found out. */
export function Lost() {
  return (
    <div role="alert" className="border-brass mt-3 w-full border-l-3 pl-3">
      <p className="font-semibold">
        <Trans>No answer came</Trans>
      </p>
      <p>
        <Trans>It may have been made, or not. It is sent again until that is known, and is made once.</Trans>
      </p>
    </div>
  )
}
