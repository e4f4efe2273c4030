import { Trans } from '@lingui/react/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError } from '../api/client'
import { Faults } from '../shared/State'

/** The page behind a sign-in link: one sets one's own password, once. */
export function UseLink() {
  const [password, setPassword] = useState('')
  const [code, setCode] = useState('')
  const link = decodeURIComponent(window.location.hash.slice(1))
  const use = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/sign-in-link', { body: { link, password, ...(code && { code }) } })),
    onSuccess: () => window.location.assign('/'),
  })
  return (
    <main className="mx-auto max-w-100 px-4 pt-[9vh]">
      <h1>
        <Trans>Choose your password</Trans>
      </h1>
      <p className="mt-2">
        <Trans>Only you know this password. All your sessions and API tokens end.</Trans>
      </p>
      <form
        className="mt-5 flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          use.mutate()
        }}
      >
        <label>
          <Trans>Password, 12 characters or more</Trans>
          <input
            className="field"
            name="password"
            type="password"
            autoComplete="new-password"
            autoFocus
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        {(code || (use.error instanceof ProblemError && use.error.problem.type === 'second-factor')) && (
          <label>
            <Trans>
              Code <span className="text-soft text-sm">of your authenticator app, or a recovery code</span>
            </Trans>
            <input className="field font-mono" autoComplete="one-time-code" value={code} onChange={(e) => setCode(e.target.value)} />
          </label>
        )}
        {link === '' && (
          <p role="alert">
            <Trans>The link is incomplete. Open it as you received it.</Trans>
          </p>
        )}
        {use.error instanceof ProblemError && (
          <div role="alert" className="border-brick border-l-3 pl-3">
            {use.error.problem.detail}
            <Faults problem={use.error.problem} />
          </div>
        )}
        <button type="submit" className="button self-start" disabled={use.isPending || password === '' || link === ''}>
          <Trans>Set it and sign in</Trans>
        </button>
      </form>
    </main>
  )
}
