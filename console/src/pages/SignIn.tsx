import { Trans } from '@lingui/react/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { answer, api, callFor, ProblemError } from '../api/client'
import { ask } from '../api/ask'
import { Forgot } from './account/Forgot'
import { SignInByProvider } from './account/Providers'
import { knowsPasskeys, signInWithPasskey } from './account/passkey'

const wants = (e: unknown) => e instanceof ProblemError && e.problem.type === 'second-factor'

export function SignIn() {
  const queries = useQueryClient()
  const [name, setName] = useState('')
  const [password, setPassword] = useState('')
  const [code, setCode] = useState('')
  const [coded, setCoded] = useState(false) // a code is asked for, too
  const [forgot, setForgot] = useState(false)
  const waiting = useQuery(ask('/api/v1/set-up'))
  const signIn = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/session', { body: { user_name: name, password, ...(code && { code }) } })),
    onMutate: () => callFor(undefined),
    onError: (e) => {
      setCode('')
      if (wants(e)) setCoded(true)
    },
    onSuccess: () => {
      setPassword('')
      return queries.resetQueries() // nothing is left of what the one before saw
    },
  })
  const byKey = useMutation({
    mutationFn: signInWithPasskey,
    onMutate: () => callFor(undefined),
    onSuccess: () => queries.resetQueries(),
  })
  if (forgot) return <Forgot name={name} back={() => setForgot(false)} />
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
      {waiting.data?.waiting && (
        <p className="border-brass mt-4 border-l-3 pl-3">
          <Trans>This service is not set up yet. It printed a set-up link when it started; open that link.</Trans>
        </p>
      )}
      <form
        className="mt-5 flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          signIn.mutate()
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
        <label>
          <Trans>Password</Trans>
          <input
            className="field"
            name="password"
            type="password"
            autoComplete="current-password"
            value={password}
            onChange={(e) => setPassword(e.target.value)}
          />
        </label>
        {coded && (
          <label>
            <Trans>
              Code <span className="text-soft text-sm">of your authenticator app, or a recovery code</span>
            </Trans>
            <input
              className="field font-mono"
              name="code"
              autoComplete="one-time-code"
              autoFocus
              value={code}
              onChange={(e) => setCode(e.target.value)}
            />
          </label>
        )}
        {signIn.error instanceof ProblemError && (
          <p role="alert" className={wants(signIn.error) ? 'text-brass' : 'text-brick'}>
            {signIn.error.problem.detail}
          </p>
        )}
        <button type="submit" className="button mt-1 self-start" disabled={!name || !password || (coded && !code) || signIn.isPending}>
          <Trans>Sign in</Trans>
        </button>
      </form>
      <SignInByProvider />
      {knowsPasskeys && (
        <button type="button" className="button-quiet mt-4" disabled={byKey.isPending} onClick={() => byKey.mutate()}>
          <Trans>Sign in with a passkey</Trans>
        </button>
      )}
      {byKey.error && (
        <p role="alert" className="text-brick mt-2">
          {byKey.error instanceof ProblemError ? byKey.error.problem.detail : byKey.error.message}
        </p>
      )}
      {waiting.data?.mail && (
        <button type="button" className="press mt-6 text-sm" onClick={() => setForgot(true)}>
          <Trans>Forgot your password?</Trans>
        </button>
      )}
      {waiting.data?.sign_up && (
        <p className="mt-3 text-sm">
          <Link to="/sign-up" className="press">
            <Trans>No account yet? Sign up</Trans>
          </Link>
        </p>
      )}
      <p className="text-soft mt-3 text-sm">
        <Trans>No account, or no way in? Ask your access administrator.</Trans>
      </p>
    </main>
  )
}
