import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { QRCodeSVG } from 'qrcode.react'
import { useState } from 'react'
import { ask } from '../../api/ask'
import { answer, api } from '../../api/client'
import { Loading, Trouble } from '../../shared/State'
import { count } from '../../shared/words'
import { Passkeys } from './Passkeys'

/** One's second factor: an authenticator app that shows codes, and recovery codes. */
export function SecondFactor() {
  const factor = useQuery(ask('/api/v1/me/second-factor'))
  const [codes, setCodes] = useState<string[]>()
  if (factor.error) return <Trouble error={factor.error} retry={() => void factor.refetch()} />
  if (!factor.data) return <Loading what="your second factor" />
  return (
    <>
      {codes && <Codes codes={codes} />}
      {factor.data.app ? (
        <Active left={factor.data.recovery_codes} codes={setCodes} />
      ) : factor.data.active ? (
        <p className="mt-1">
          Your passkeys are your second factor: the password alone signs nobody in.{' '}
          <span className="text-soft">{count(factor.data.recovery_codes, 'recovery code')} left, for when you lose them.</span>
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
        Keep these recovery codes apart from your phone. Each stands for one code of the app, once.{' '}
        <strong>They are not shown again.</strong>
      </p>
      <ul className="mt-2 grid grid-cols-2 gap-x-6 font-mono text-sm">
        {codes.map((c) => (
          <li key={c}>{c}</li>
        ))}
      </ul>
      <button type="button" className="press mt-1 text-sm" onClick={() => void navigator.clipboard.writeText(codes.join('\n'))}>
        Copy them
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
        <p className="mt-1">You sign in by your password alone. With an authenticator app a code is asked for, too.</p>
        <button type="button" className="button mt-2" disabled={begin.isPending} onClick={() => begin.mutate()}>
          Add an authenticator app
        </button>
        {begin.error && <Trouble error={begin.error} />}
      </>
    )
  return (
    <form
      aria-label="Add an authenticator app"
      className="mt-2 flex flex-wrap items-start gap-6"
      onSubmit={(e) => {
        e.preventDefault()
        confirm.mutate()
      }}
    >
      <QRCodeSVG value={begin.data.address} size={168} marginSize={3} title="The secret, for the camera of the app" />
      <div className="max-w-100">
        <p>
          Open an authenticator app on your phone and point its camera at the picture, or type this secret:{' '}
          <span className="font-mono break-all">{begin.data.secret}</span>
        </p>
        <label className="mt-3 block">
          The code that the app shows
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
          Turn it on
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
        A code of your authenticator app is asked for when you sign in.{' '}
        <span className={left < 3 ? 'text-brass' : 'text-soft'}>{count(left, 'recovery code')} left.</span>
      </p>
      <div className="mt-2 flex flex-wrap items-end gap-3">
        <label>
          A code, to change it
          <input className="field font-mono" autoComplete="one-time-code" value={code} onChange={(e) => setCode(e.target.value)} />
        </label>
        <button type="button" className="button-quiet" disabled={!code.trim()} onClick={() => anew.mutate()}>
          Make new recovery codes
        </button>
        <button type="button" className="button-quiet" disabled={!code.trim()} onClick={() => remove.mutate()}>
          Remove it
        </button>
      </div>
      {(anew.error ?? remove.error) && <Trouble error={anew.error ?? remove.error} />}
    </>
  )
}
