import { Trans } from '@lingui/react/macro'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { Passkeys } from './Passkeys'
import { Add } from './SecondFactor'

/** What whoever must have a second factor sees before they have one. */
export function NeedsFactor() {
  const queries = useQueryClient()
  const [codes, setCodes] = useState<string[]>()
  return (
    <main className="mx-auto max-w-160 px-4 pt-[9vh]">
      <h1>
        <Trans>Add a second factor</Trans>
      </h1>
      <p className="mt-2">
        <Trans>
          Whoever administers Able Roster signs in by a code beside the password, or by a passkey. You can do nothing else here until you
          have added one.
        </Trans>
      </p>
      {codes ? (
        <div className="mt-4">
          <p role="status">
            <Trans>It is on. Keep these recovery codes apart from your phone; they are not shown again:</Trans>
          </p>
          <ul className="mt-2 grid grid-cols-2 gap-x-6 font-mono">
            {codes.map((c) => (
              <li key={c}>{c}</li>
            ))}
          </ul>
          <button type="button" className="button mt-4" onClick={() => void queries.resetQueries()}>
            <Trans>Go on</Trans>
          </button>
        </div>
      ) : (
        <>
          <Add codes={setCodes} />
          <Passkeys codes={setCodes} />
        </>
      )}
    </main>
  )
}
