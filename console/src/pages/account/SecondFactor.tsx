import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { QRCodeSVG } from 'qrcode.react'
import { useState } from 'react'
import { ask } from '../../api/ask'
import { answer, api } from '../../api/client'
import { Loading, Trouble } from '../../shared/State'
import { Passkeys } from './Passkeys'

/** One's second factor: an authenticator app that shows codes, and recovery codes. */
export function SecondFactor() {
  const factor = useQuery(ask('/api/v1/me/second-factor'))
  const [codes, setCodes] = useState<string[]>()
  if (factor.error) return <Trouble error={factor.error} retry={() => void factor.refetch()} />
  if (!factor.data) return <Loading what={t`your second factor`} />
  return (
    <>
      {codes && <Codes codes={codes} />}
      {factor.data.app ? (
        <Active left={factor.data.recovery_codes} codes={setCodes} />
      ) : factor.data.active ? (
        <p className="mt-1">
          <Trans>
            Your passkeys are your second factor: the password alone signs nobody in.{' '}
            <span className="text-soft">
              {plural(factor.data.recovery_codes, { one: '# recovery code', other: '# recovery codes' })} left, for when you lose them.
            </span>
          </Trans>
        </p>
      ) : (
        <Add codes={setCodes} />
      )}
      <Passkeys codes={setCodes} />
    </>
  )
}

function Codes({ codes }: { codes: string[] }) {
  return (
    <div role="status" className="border-brass mt-3 border-l-3 pl-3">
      <p>
        <Trans>
          Keep these recovery codes apart from your phone. Each stands for one code of the app, once.{' '}
          <strong>They are not shown again.</strong>
        </Trans>
      </p>
      <ul className="mt-2 grid grid-cols-2 gap-x-6 font-mono text-sm">
        {codes.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
      <button type="button" className="press mt-1 text-sm" onClick={() => void navigator.clipboard.writeText(codes.join('\n'))}>
        <Trans>Copy them</Trans>
      </button>
    </div>
  )
}

/** Adds an authenticator app: its secret as a picture and as text, then its first code. */
export function Add({ codes }: { codes: (codes: string[]) => void }) {
  const queries = useQueryClient()
  const [code, setCode] = useState('')
  const begin = useMutation({ mutationFn: () => answer(api.POST('/api/v1/me/second-factor')) })
  const confirm = useMutation({
    mutationFn: () => answer(api.PUT('/api/v1/me/second-factor', { body: { code } })),
    onSuccess: (out) => {
      codes(out.codes)
      return queries.invalidateQueries()
    },
  })
  if (!begin.data)
    return (
      <>
        <p className="mt-1">
          <Trans>You sign in by your password alone. With an authenticator app a code is asked for, too.</Trans>
        </p>
        <button type="button" className="button mt-2" disabled={begin.isPending} onClick={() => begin.mutate()}>
          <Trans>Add an authenticator app</Trans>
        </button>
        {begin.error && <Trouble error={begin.error} />}
      </>
    )
  return (
    <form
      aria-label={t`Add an authenticator app`}
      className="mt-2 flex flex-wrap items-start gap-6"
      onSubmit={(e) => {
        e.preventDefault()
        confirm.mutate()
      }}
    >
      <QRCodeSVG value={begin.data.address} size={168} marginSize={3} title={t`The secret, for the camera of the app`} />
      <div className="max-w-100">
        <p>
          <Trans>
            Open an authenticator app on your phone and point its camera at the picture, or type this secret:{' '}
            <span className="font-mono break-all">{begin.data.secret}</span>
          </Trans>
        </p>
        <label className="mt-3 block">
          <Trans>The code that the app shows</Trans>
          <input
            className="field font-mono"
            inputMode="numeric"
            autoComplete="one-time-code"
            value={code}
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        {confirm.error && <Trouble error={confirm.error} />}
        <button type="submit" className="button mt-3" disabled={code.trim().length < 6 || confirm.isPending}>
          <Trans>Turn it on</Trans>
        </button>
      </div>
    </form>
  )
}

function Active({ left, codes }: { left: number; codes: (codes: string[]) => void }) {
  const queries = useQueryClient()
  const [code, setCode] = useState('')
  const anew = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/me/second-factor/recovery-codes', { body: { code } })),
    onSuccess: (out) => {
      setCode('')
      codes(out.codes)
      return queries.invalidateQueries()
    },
  })
  const remove = useMutation({
    mutationFn: () => answer(api.POST('/api/v1/me/second-factor/removal', { body: { code } })),
    onSuccess: () => queries.invalidateQueries(),
  })
  return (
    <>
      <p className="mt-1">
        <Trans>
          A code of your authenticator app is asked for when you sign in.{' '}
          <span className={left < 3 ? 'text-brass' : 'text-soft'}>
            {plural(left, { one: '# recovery code', other: '# recovery codes' })} left.
          </span>
        </Trans>
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <label>
          <Trans>A code, to change it</Trans>
          <input className="field font-mono" autoComplete="one-time-code" value={code} onChange={(e) => setCode(e.target.value)} />
        </label>
        <button type="button" className="button-quiet" disabled={!code.trim()} onClick={() => anew.mutate()}>
          <Trans>Make new recovery codes</Trans>
        </button>
        <button type="button" className="button-quiet" disabled={!code.trim()} onClick={() => remove.mutate()}>
          <Trans>Remove it</Trans>
        </button>
      </div>
      {(anew.error ?? remove.error) && <Trouble error={anew.error ?? remove.error} />}
    </>
  )
}
