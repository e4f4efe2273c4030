import { Trans } from '@lingui/react/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError } from '../../api/client'

/** Has a link mailed, by which one chooses a new password. */
export function Forgot({ name: before, back }: { name: string; back: () => void }) {
  const [name, setName] = useState(before)
  const ask = useMutation({ mutationFn: () => answer(api.POST('/api/v1/password-reset', { body: { user_name: name.trim() } })) })
  return (
    <main className="mx-auto max-w-88 px-4 pt-[14vh]">
      <h1>
        <Trans>Choose a new password</Trans>
      </h1>
      {ask.isSuccess ? (
        <p role="status" className="mt-4">
          <Trans>
            If there is such a user, a link is on its way to their address. It is good for an hour. Look among unwanted mails, too.
          </Trans>
        </p>
      ) : (
        <form
          className="mt-5 flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            ask.mutate()
          }}
        >
          <label>
            <Trans>User name</Trans>
            <input
              className="field"
              name="user_name"
              autoComplete="username"
              autoFocus
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
          </label>
          {ask.error instanceof ProblemError && (
            <p role="alert" className="text-brick">
              {ask.error.problem.detail}
            </p>
          )}
          <button type="submit" className="button self-start" disabled={!name.trim() || ask.isPending}>
            <Trans>Mail me a link</Trans>
          </button>
        </form>
      )}
      <button type="button" className="press mt-6 text-sm" onClick={back}>
        <Trans>Back to sign in</Trans>
      </button>
    </main>
  )
}
