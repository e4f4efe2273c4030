import { Trans } from '@lingui/react/macro'
import { useMutation } from '@tanstack/react-query'
import { Link, useLocation } from '@tanstack/react-router'
import { useState } from 'react'
import { answer, api, ProblemError } from '../api/client'
import { Faults } from '../shared/State'

/** Where somebody signs up by themselves: asks for a link, and comes back by it. */
export function SignUp() {
  const link = useLocation({ select: (l) => l.hash })
  return (
    <main className="mx-auto max-w-100 px-4 pt-[9vh]">
      <h1>
        <Trans>Sign up</Trans>
      </h1>
      {link ? <ByLink link={link} /> : <AskForLink />}
      <p className="mt-6 text-sm">
        <Link to="/today" className="press">
          <Trans>Back to sign in</Trans>
        </Link>
      </p>
    </main>
  )
}

function AskForLink() {
  const [email, setEmail] = useState('')
  const ask = useMutation({ mutationFn: () => answer(api.POST('/api/v1/sign-up', { body: { email: email.trim() } })) })
  if (ask.isSuccess)
    return (
      <p role="status" className="mt-4">
        <Trans>
          If you may sign up with this address, a link is on its way to it. It is good for a day. Look among unwanted mails, too.
        </Trans>
      </p>
    )
  return (
    <>
      <p className="mt-2">
        <Trans>For people whose mail domain may sign up. A link is mailed to your address.</Trans>
      </p>
      <form
        className="mt-5 flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          ask.mutate()
        }}
      >
        <label>
          <Trans>Your e-mail address at work</Trans>
          <input
            className="field"
            name="email"
            type="email"
            autoComplete="email"
            autoFocus
            value={email}
            onChange={(e) => setEmail(e.target.value)}
          />
        </label>
        <Problem error={ask.error} />
        <button type="submit" className="button self-start" disabled={!email.trim() || ask.isPending}>
          <Trans>Mail me a link</Trans>
        </button>
      </form>
    </>
  )
}

function ByLink({ link }: { link: string }) {
  const [x, setX] = useState({ name: '', password: '' })
  const signUp = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/sign-up/account', { body: { link, display_name: x.name.trim(), password: x.password } })),
    onSuccess: () => window.location.assign('/'),
  })
  return (
    <>
      <p className="mt-2">
        <Trans>Your user name is your e-mail address. Only you know the password.</Trans>
      </p>
      <form
        className="mt-5 flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault()
          signUp.mutate()
        }}
      >
        <label>
          <Trans>Your name</Trans>
          <input
            className="field"
            name="name"
            autoComplete="name"
            autoFocus
            value={x.name}
            onChange={(e) => setX({ ...x, name: e.target.value })}
          />
        </label>
        <label>
          <Trans>Password, 12 characters or more</Trans>
          <input
            className="field"
            name="password"
            type="password"
            autoComplete="new-password"
            value={x.password}
            onChange={(e) => setX({ ...x, password: e.target.value })}
          />
        </label>
        <Problem error={signUp.error} />
        <button type="submit" className="button self-start" disabled={signUp.isPending || !x.name.trim() || x.password === ''}>
          <Trans>Sign up</Trans>
        </button>
      </form>
    </>
  )
}

function Problem({ error }: { error: Error | null }) {
  if (!(error instanceof ProblemError)) return null
  return (
    <div role="alert" className="border-brick border-l-3 pl-3">
      {error.problem.detail}
      <Faults problem={error.problem} />
    </div>
  )
}
