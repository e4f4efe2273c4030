import { Trans } from '@lingui/react/macro'
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError } from '../api/client'
import { Faults } from '../shared/State'
import { draftsOf, forgetDrafts } from './drafts'
import { useMe } from './session'

/** Who I am: theme, password, sign out. */
export function Account() {
  const me = useMe()
  const queries = useQueryClient()
  const [changing, setChanging] = useState(false)
  const [left, setLeft] = useState(false) // what was not committed
  const signOut = useMutation({
    mutationFn: async () => {
      const call = await api.DELETE('/api/v1/session')
      await answer(Promise.resolve(call))
      return call.response.headers.get('Roster-Sign-Out-At')
    },
    onSettled: (there) => {
      forgetDrafts()
      queries.clear()
      window.location.assign(there ?? '/') // of the identity provider too
    },
  })
  const turn = () => {
    const next = document.documentElement.dataset.theme === 'dark' ? 'light' : 'dark'
    document.documentElement.dataset.theme = next
    localStorage.setItem('theme', next)
  }
  return (
    <Popover className="relative">
      <PopoverButton className="text-soft py-1">
        {me.user.label} <span aria-hidden>▾</span>
      </PopoverButton>
      <PopoverPanel className="border-rule bg-sheet absolute right-0 z-30 mt-2 flex w-72 flex-col items-start gap-2 rounded-md border p-4">
        <p className="text-soft text-sm">
          <Trans>Signed in as </Trans>
          <span className="font-mono">{me.user.key}</span>
        </p>
        <button type="button" className="press" onClick={turn}>
          <Trans>Light or dark</Trans>
        </button>
        <button type="button" className="press" onClick={() => setChanging(!changing)} aria-expanded={changing}>
          <Trans>Change my password</Trans>
        </button>
        {changing && <Password done={() => setChanging(false)} />}
        {left ? (
          <div className="border-brass border-l-3 pl-3">
            <p>
              <Trans>There is something that you have not committed. Signing out discards it.</Trans>
            </p>
            <button type="button" className="press" onClick={() => signOut.mutate()}>
              <Trans>Discard it and sign out</Trans>
            </button>
          </div>
        ) : (
          <button type="button" className="press" onClick={() => (draftsOf(me.user.id!).length > 0 ? setLeft(true) : signOut.mutate())}>
            <Trans>Sign out</Trans>
          </button>
        )}
      </PopoverPanel>
    </Popover>
  )
}

function Password({ done }: { done: () => void }) {
  const [current, setCurrent] = useState('')
  const [next, setNext] = useState('')
  const change = useMutation({
    mutationFn: () => answer(api.PUT('/api/v1/me/password', { body: { current_password: current, new_password: next } })),
    onSuccess: done,
  })
  return (
    <form
      className="flex w-full flex-col gap-2"
      onSubmit={(e) => {
        e.preventDefault()
        change.mutate()
      }}
    >
      <label>
        <Trans>Current password</Trans>
        <input
          type="password"
          autoComplete="current-password"
          className="field"
          value={current}
          onChange={(e) => setCurrent(e.target.value)}
        />
      </label>
      <label>
        <Trans>New password, 12 characters or more</Trans>
        <input type="password" autoComplete="new-password" className="field" value={next} onChange={(e) => setNext(e.target.value)} />
      </label>
      {change.error instanceof ProblemError && (
        <div role="alert" className="text-brick text-sm">
          {change.error.problem.detail}
          <Faults problem={change.error.problem} />
        </div>
      )}
      <button type="submit" className="button self-start" disabled={!current || !next || change.isPending}>
        <Trans>Change it</Trans>
      </button>
    </form>
  )
}
