import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useState } from 'react'
import { answer, api, type Schemas } from '../../api/client'
import { Trouble } from '../../shared/State'
import { moment } from '../../shared/words'

/** Makes a one-time link by which a user sets their own password. */
export function SignInOf({ user: u }: { user: Schemas['UserDetail'] }) {
  const [error, setError] = useState<unknown>()
  const [link, setLink] = useState<Schemas['SignInLink']>()
  const [copied, setCopied] = useState(false)
  const address = link && window.location.origin + link.path
  const [said, setSaid] = useState('')
  const remove = async () => {
    setError(undefined)
    setSaid('')
    try {
      const out = await answer(api.POST('/api/v1/users/{user}/second-factor-removal', { params: { path: { user: u.user_name } } }))
      setSaid(out.removed ? t`The second factor of ${u.display_name} is removed.` : t`Recorded. ${out.next ?? ''}`)
    } catch (e) {
      setError(e)
    }
  }
  const make = async () => {
    setError(undefined)
    setCopied(false)
    try {
      setLink(await answer(api.POST('/api/v1/users/{user}/sign-in-link', { params: { path: { user: u.user_name } } })))
    } catch (e) {
      setError(e)
    }
  }
  return (
    <section aria-label={t`Sign-in of ${u.display_name}`} className="bg-wash mt-3 max-w-160 rounded-md p-3">
      <p>
        <Trans>
          {u.display_name} signs in as {u.user_name}, with a password only they know. Make a link and give it to them: it sets the password
          once. Earlier links are void. It gives no access, and is recorded in the security log.
        </Trans>
      </p>
      <button type="button" className="button mt-3" onClick={() => void make()}>
        <Trans>Make a sign-in link</Trans>
      </button>
      {link && address && (
        <div role="status" className="mt-3">
          <p>
            <Trans>This link is shown once, and good until {moment(link.expires_at)}:</Trans>
          </p>
          <p className="mt-1 font-mono text-sm break-all">{address}</p>
          <button
            type="button"
            className="press mt-1 text-sm"
            onClick={() => void navigator.clipboard.writeText(address).then(() => setCopied(true))}
          >
            {copied ? t`Copied` : t`Copy it`}
          </button>
        </div>
      )}
      <button type="button" className="press mt-3 block text-sm" onClick={() => void remove()}>
        <Trans>Remove their second factor, which they lost</Trans>
      </button>
      {said && (
        <p role="status" className="mt-1">
          {said}
        </p>
      )}
      {error !== undefined && <Trouble error={error} />}
    </section>
  )
}
