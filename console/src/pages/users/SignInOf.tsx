import { useState } from 'react'
import { answer, api, type Schemas } from '../../api/client'
import { Trouble } from '../../shared/State'

/** Gives a user a password of their own to sign in with, or another one. */
export function SignInOf({ user: u }: { user: Schemas['UserDetail'] }) {
  const [password, setPassword] = useState('')
  const [error, setError] = useState<unknown>()
  const [done, setDone] = useState(false)
  const give = async () => {
    setError(undefined)
    setDone(false)
    try {
      await answer(api.PUT('/api/v1/users/{user}/password', { params: { path: { user: u.user_name } }, body: { new_password: password } }))
      setDone(true)
      setPassword('')
    } catch (e) {
      setError(e)
    }
  }
  return (
    <form
      aria-label={`Sign-in of ${u.display_name}`}
      className="bg-wash mt-3 max-w-160 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        void give()
      }}
    >
      <p>{u.display_name} signs in as {u.user_name} with this password from now on; sessions they had end. It is not part of the change sheet, and gives no access.</p>
      <label className="mt-2 block max-w-80">
        First password <span className="text-soft text-sm">they can change it</span>
        <input className="field" type="password" autoComplete="new-password" value={password} onChange={(e) => setPassword(e.target.value)} />
      </label>
      <button type="submit" className="button mt-3" disabled={password === ''}>
        Give it now
      </button>
      {done && (
        <p role="status" className="text-kelp mt-2">
          {u.display_name} can sign in now.
        </p>
      )}
      {error !== undefined && <Trouble error={error} />}
    </form>
  )
}
