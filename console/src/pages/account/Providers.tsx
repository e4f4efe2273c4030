import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { ask } from '../../api/ask'
import { answer, api, callFor } from '../../api/client'
import { Loading, Trouble } from '../../shared/State'
import { shortDay } from '../../shared/words'

const placeKey = 'sign-in-by'

/** Goes to an identity provider; one comes back to the page one was on. */
function leave(address: string) {
  sessionStorage.setItem(placeKey, window.location.pathname + window.location.search)
  window.location.assign(address)
}

/** The page one was on when one went to an identity provider. */
export function placeBefore(): string {
  const place = sessionStorage.getItem(placeKey) ?? '/'
  sessionStorage.removeItem(placeKey)
  return place.startsWith('/') && !place.startsWith('//') ? place : '/'
}

/** A press for each identity provider that people sign in by. */
export function SignInByProvider() {
  const all = useQuery(ask('/api/v1/session/providers'))
  const begin = useMutation({
    mutationFn: (provider: string) => answer(api.POST('/api/v1/session/provider-flow', { body: { provider } })),
    onMutate: () => callFor(undefined),
    onSuccess: (to) => leave(to.address),
  })
  return (
    <>
      {all.data?.providers.map((p) => (
        <button key={p.key} type="button" className="button-quiet mt-4 mr-3" disabled={begin.isPending} onClick={() => begin.mutate(p.key)}>
          <Trans>Sign in with {p.label}</Trans>
        </button>
      ))}
      {begin.error && (
        <p role="alert" className="text-brick mt-2">
          {begin.error.message}
        </p>
      )}
    </>
  )
}

/** One's accounts at identity providers, by which one signs in; and those one could link. */
export function Providers() {
  const queries = useQueryClient()
  const all = useQuery(ask('/api/v1/me/providers'))
  const factor = useQuery(ask('/api/v1/me/second-factor'))
  const none = factor.data?.confirm_by === 'sign_in' // no password: it asks whoever signed in a while ago
  const [password, setPassword] = useState('')
  const link = useMutation({
    mutationFn: (provider: string) => answer(api.POST('/api/v1/me/providers', { body: { provider, current_password: password } })),
    onSuccess: (to) => leave(to.address),
  })
  const remove = useMutation({
    mutationFn: (id: number) => answer(api.DELETE('/api/v1/me/providers/{id}', { params: { path: { id } } })),
    onSuccess: () => queries.invalidateQueries(),
  })
  if (all.error) return <Trouble error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what={t`your identity providers`} />
  const { links, providers } = all.data
  if (links.length + providers.length === 0) return null
  const trouble = link.error ?? remove.error
  return (
    <div className="mt-5">
      <h3 className="font-semibold">
        <Trans>Identity providers</Trans>
      </h3>
      {links.length > 0 && (
        <table className="register">
          <tbody>
            {links.map((l) => (
              <tr key={l.id}>
                <td>
                  {l.provider.label} <span className="text-soft font-mono text-sm">{l.subject}</span>
                </td>
                <td className="text-soft">
                  <Trans>linked {shortDay(l.made_at)}</Trans>
                </td>
                <td className="text-soft">
                  <Trans>used {shortDay(l.used_at)}</Trans>
                </td>
                <td className="text-right">
                  <button
                    type="button"
                    className="press text-sm"
                    aria-label={t`Unlink ${l.provider.label}`}
                    disabled={remove.isPending}
                    onClick={() => remove.mutate(l.id)}
                  >
                    <Trans>Unlink</Trans>
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {providers.length > 0 && (
        <form
          aria-label={t`Link an identity provider`}
          className="mt-2 flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            const first = providers[0]
            if (first) link.mutate(first.key)
          }}
        >
          {!none && (
            <label>
              <Trans>Your password, to link an account of yours</Trans>
              <input
                className="field"
                type="password"
                autoComplete="current-password"
                value={password}
                onChange={(e) => setPassword(e.target.value)}
              />
            </label>
          )}
          {providers.map((p, i) => (
            <button
              key={p.key}
              type={i === 0 ? 'submit' : 'button'}
              className="button-quiet"
              disabled={(!password && !none) || link.isPending}
              onClick={i === 0 ? undefined : () => link.mutate(p.key)}
            >
              <Trans>Link {p.label}</Trans>
            </button>
          ))}
        </form>
      )}
      {trouble && <Trouble error={trouble} />}
    </div>
  )
}
