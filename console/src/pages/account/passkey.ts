import { t } from '@lingui/core/macro'
import { answer, api } from '../../api/client'

/** Whether the page was opened by an address of numbers: passkeys are for a name of a host. */
export const byNumbers = /^[\d.]+$|:/.test(location.hostname)

/** Whether this browser knows passkeys, on this page. */
export const knowsPasskeys =
  !byNumbers && typeof PublicKeyCredential !== 'undefined' && 'parseCreationOptionsFromJSON' in PublicKeyCredential

const cancelled = t`The browser gave no passkey: it was cancelled, or took too long.`

async function credential(asked: Promise<Credential | null>): Promise<PublicKeyCredential> {
  const c = await asked.catch((e: unknown) => {
    throw e instanceof DOMException && e.name === 'InvalidStateError'
      ? new Error(t`This device has a passkey for you already.`)
      : new Error(cancelled)
  })
  if (!(c instanceof PublicKeyCredential)) throw new Error(cancelled)
  return c
}

/** Makes a passkey on this device and adds it. */
export async function addPasskey(label: string, password: string) {
  const begun = await answer(api.POST('/api/v1/me/passkeys/ceremony', { body: { current_password: password } }))
  const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(begun.options as PublicKeyCredentialCreationOptionsJSON)
  const made = await credential(navigator.credentials.create({ publicKey }))
  return answer(api.POST('/api/v1/me/passkeys', { body: { ceremony: begun.ceremony, response: made.toJSON() as unknown, label } }))
}

/** Signs in with a passkey of this device. */
export async function signInWithPasskey() {
  const begun = await answer(api.POST('/api/v1/session/passkey-ceremony'))
  const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(begun.options as PublicKeyCredentialRequestOptionsJSON)
  const used = await credential(navigator.credentials.get({ publicKey }))
  return answer(api.POST('/api/v1/session/passkey', { body: { ceremony: begun.ceremony, response: used.toJSON() as unknown } }))
}
