import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { ask } from '../../api/ask'
import { answer, api } from '../../api/client'
import { Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'
import { addPasskey, byNumbers, knowsPasskeys } from './passkey'

/** One's passkeys: each signs in by itself, without password and code. */
export function Passkeys({ codes }: { codes: (codes: string[]) => void }) {
  const queries = useQueryClient()
  const keys = useQuery(ask('/api/v1/me/passkeys'))
  const factor = useQuery(ask('/api/v1/me/second-factor'))
  const none = factor.data?.confirm_by === 'sign_in' // no password: it asks whoever signed in a while ago
  const [password, setPassword] = useState('')
  const [label, setLabel] = useState('')
  const add = useMutation({
    mutationFn: () => addPasskey(label.trim(), password),
    onSuccess: (out) => {
      setPassword('')
      setLabel('')
      if (out.codes) codes(out.codes)
      return queries.invalidateQueries()
    },
  })
  const remove = useMutation({
    mutationFn: (id: number) =>
      answer(api.POST('/api/v1/me/passkeys/{id}/removal', { params: { path: { id } }, body: { current_password: password } })),
    onSuccess: () => {
      setPassword('')
      return queries.invalidateQueries()
    },
  })
  if (keys.error) return <Trouble error={keys.error} retry={() => void keys.refetch()} />
  if (!keys.data) return <Loading what={t`your passkeys`} />
  const all = keys.data.passkeys
  const trouble = add.error ?? remove.error
  return (
    <div className="mt-5">
      <h3 className="font-semibold">
        <Trans>Passkeys</Trans>
      </h3>
      <p className="mt-1">
        {all.length === 0
          ? t`With a passkey you sign in by your device alone: its fingerprint, face or PIN, and no password or code.`
          : t`Each signs you in by your device alone.`}
      </p>
      {all.length > 0 && (
        <table className="register">
          <tbody>
            {all.map((k) => (
              <tr key={k.id}>
                <td>{k.label}</td>
                <td className="text-soft">
                  <Trans>added {shortDay(k.made_at)}</Trans>
                </td>
                <td className="text-soft">{k.used_at ? t`used ${shortDay(k.used_at)}` : t`not used yet`}</td>
                <td className="text-right">
                  <button
                    type="button"
                    className="press text-sm"
                    aria-label={t`Remove the passkey ${k.label}`}
                    disabled={(!password && !none) || remove.isPending}
                    onClick={() => remove.mutate(k.id)}
                  >
                    <Trans>Remove</Trans>
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {knowsPasskeys ? (
        <form
          aria-label={t`Add a passkey`}
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            add.mutate()
          }}
        >
          <label>
            <Trans>What you call it</Trans>
            <input className="field" value={label} placeholder={t`Office laptop`} onChange={(e) => setLabel(e.target.value)} />
          </label>
          {!none && (
            <label>
              <Trans>Your password, to change passkeys</Trans>
              <input
                className="field"
                type="password"
                autoComplete="current-password"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            </label>
          )}
          <button type="submit" className="button-quiet" disabled={(!password && !none) || add.isPending}>
            <Trans>Add a passkey</Trans>
          </button>
        </form>
      ) : (
        <p className="text-soft mt-1 text-sm">
          {byNumbers
            ? t`Passkeys are for a page that is opened by a name, and not by ${location.hostname}.`
            : t`This browser has no passkeys here.`}
        </p>
      )}
      {trouble && <Trouble error={trouble} />}
    </div>
  )
}
