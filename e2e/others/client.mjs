// A client that others wrote, for a test of our identity provider: node client.mjs ISSUER PERSON.
// It prints the claims of the ID token, as JSON.
import * as openid from 'openid-client'

const [issuer, person] = process.argv.slice(2)
const redirect = 'http://127.0.0.1:9/sign-in-by'
const config = await openid.discovery(new URL(issuer), 'able-roster', undefined, openid.None(), { execute: [openid.allowInsecureRequests] })
const verifier = openid.randomPKCECodeVerifier()
const nonce = openid.randomNonce()
const state = openid.randomState()
const address = openid.buildAuthorizationUrl(config, {
  redirect_uri: redirect,
  scope: 'openid profile',
  code_challenge: await openid.calculatePKCECodeChallenge(verifier),
  code_challenge_method: 'S256',
  nonce,
  state,
})
const pressed = await fetch(address, { method: 'POST', redirect: 'manual', body: new URLSearchParams({ person, factor: 'yes' }) })
const back = new URL(pressed.headers.get('location'))
const tokens = await openid.authorizationCodeGrant(config, back, { pkceCodeVerifier: verifier, expectedNonce: nonce, expectedState: state, idTokenExpected: true })
console.log(JSON.stringify(tokens.claims()))
