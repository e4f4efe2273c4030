import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { useMutation, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { ask } from '../api/ask'
import { answer, api, ProblemError, whenToConfirm } from '../api/client'
import { Trouble } from '../shared/State'

/** Asks whoever signed in a while ago who they are, before something is done that is dangerous in other hands. */
export function Confirm() {
  const [done, setDone] = useState<(confirmed: boolean) => void>()
  useEffect(() => whenToConfirm(() => new Promise((resolve) => setDone(() => resolve))), [])
  if (!done) return null
  return (
    <Ask
      end={(confirmed) => {
        setDone(undefined)
        done(confirmed)
      }}
    />
  )
}

function Ask({ end }: { end: (confirmed: boolean) => void }) {
  const factor = useQuery(ask('/api/v1/me/second-factor'))
  const [typed, setTyped] = useState('')
  const [wrong, setWrong] = useState<string>()
  const [busy, setBusy] = useState(false)
  const by = factor.data?.confirm_by
  const code = by === 'code'
  const confirm = async () => {
    setBusy(true)
    try {
      await answer(api.POST('/api/v1/me/confirmation', { body: code ? { code: typed.trim() } : { password: typed } }))
      end(true)
    } catch (e) {
      const p = e instanceof ProblemError ? e.problem : undefined
      setWrong(p?.status === 422 ? (code ? t`The code is not right, or was used already.` : t`The password is not right.`) : p?.detail)
      setTyped('')
      setBusy(false)
    }
  }
  const anew = useMutation({
    mutationFn: () => answer(api.DELETE('/api/v1/session')),
    onSettled: () => window.location.reload(), // the same page, once one has signed in
  })
  return (
    <Dialog open onClose={() => end(false)} className="relative z-40 outline-none">
      <div className="fixed inset-0 flex items-start justify-center bg-black/30 p-4 pt-[12vh]">
        <DialogPanel className="border-rule bg-sheet w-full max-w-110 rounded-md border p-5">
          <DialogTitle className="text-lg font-bold">
            <Trans>Confirm that it is you</Trans>
          </DialogTitle>
          <p className="mt-2">
            <Trans>
              You signed in a while ago, and this is dangerous in other hands. Nothing was done yet.{' '}
              {by === 'sign_in'
                ? t`You have no password here: sign in again, and then do it once more. What is on your change sheet stays; what you typed into a form does not.`
                : t`You are not asked again for 15 minutes.`}
            </Trans>
          </p>
          <form
            className="mt-3"
            onSubmit={(e) => {
              e.preventDefault()
              void confirm()
            }}
          >
            {by !== 'sign_in' && (
              <label>
                {code ? t`Code of your authenticator app` : t`Password`}
                <input
                  className="field mt-0.5"
                  type={code ? 'text' : 'password'}
                  inputMode={code ? 'numeric' : undefined}
                  autoComplete={code ? 'one-time-code' : 'current-password'}
                  autoFocus
                  value={typed}
                  onChange={(e) => setTyped(e.target.value)}
                />
              </label>
            )}
            {factor.error && <Trouble error={factor.error} retry={() => void factor.refetch()} />}
            {wrong && (
              <p role="alert" className="text-brick border-brick mt-2 border-l-3 pl-2">
                {wrong}
              </p>
            )}
            <div className="mt-4 flex gap-2">
              {by === 'sign_in' ? (
                <button type="button" className="button" autoFocus disabled={anew.isPending} onClick={() => anew.mutate()}>
                  <Trans>Sign in again</Trans>
                </button>
              ) : (
                <button type="submit" className="button" disabled={busy || typed === '' || !by}>
                  <Trans>Confirm</Trans>
                </button>
              )}
              <button type="button" className="button-quiet" onClick={() => end(false)}>
                <Trans>Cancel</Trans>
              </button>
            </div>
          </form>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
