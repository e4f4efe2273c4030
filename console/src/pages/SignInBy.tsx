import { Trans } from '@lingui/react/macro'
import { useMutation } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { answer, api, callFor, ProblemError } from '../api/client'
import { placeBefore } from './account/Providers'

/** The page that an identity provider sends one back to: it signs one in, asks for a code where
 * the provider proved no second factor, and leads to where one was. */
export function SignInBy() {
  const came = useRef(new URLSearchParams(window.location.search)).current
  const [code, setCode] = useState('')
  const finish = useMutation({
    mutationFn: (second: string) =>
      answer(
        api.POST('/api/v1/session/provider', {
          body: {
            state: came.get('state') ?? '',
            code: came.get('code') ?? undefined,
            iss: came.get('iss') ?? undefined,
            error: came.get('error') ?? undefined,
            ...(second && { second_factor: second }),
          },
        }),
      ),
    onMutate: () => callFor(undefined),
    onSuccess: () => window.location.replace(placeBefore()),
    onError: () => setCode(''),
  })
  const begun = useRef(false)
  useEffect(() => {
    if (begun.current) return
    begun.current = true
    finish.mutate('')
  })
  const problem = finish.error instanceof ProblemError ? finish.error.problem : undefined
  const coded = problem?.type === 'second-factor'
  return (
    <main className="mx-auto max-w-88 px-4 pt-[14vh]">
      <p className="font-bold">
        <Trans>
          Able <span className="text-harbour">Roster</span>
        </Trans>
      </p>
      <h1 className="mt-4">
        <Trans>Sign in</Trans>
      </h1>
      {!problem && (
        <p role="status">
          <Trans>One moment: you are being signed in.</Trans>
        </p>
      )}
      {problem && (
        <p role="alert" className={`mt-3 ${coded ? 'text-brass' : 'text-brick'}`}>
          {problem.detail}
        </p>
      )}
      {coded && (
        <form
          className="mt-3 flex flex-col gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            finish.mutate(code)
          }}
        >
          <label>
            <Trans>
              Code <span className="text-soft text-sm">of your authenticator app, or a recovery code</span>
            </Trans>
            <input
              className="field font-mono"
              autoComplete="one-time-code"
              autoFocus
              value={code}
              onChange={(e) => setCode(e.target.value)}
            />
          </label>
          <button type="submit" className="button self-start" disabled={!code || finish.isPending}>
            <Trans>Sign in</Trans>
          </button>
        </form>
      )}
      {problem && !coded && (
        <p className="mt-4">
          <a className="press" href="/">
            <Trans>Back to signing in</Trans>
          </a>
        </p>
      )}
    </main>
  )
}
