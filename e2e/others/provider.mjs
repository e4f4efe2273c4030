// An identity provider that others wrote, for a test: node provider.mjs PORT REDIRECT ACCOUNT SECRET.
// Whoever comes is ACCOUNT, and is asked nothing.
import Provider from 'oidc-provider'

const [port, redirect, account, secret] = process.argv.slice(2)
const provider = new Provider(`http://127.0.0.1:${port}`, {
  clients: [
    {
      client_id: 'able-roster',
      client_secret: secret,
      redirect_uris: [redirect],
      post_logout_redirect_uris: [new URL('/', redirect).href],
      response_types: ['code'],
      grant_types: ['authorization_code'],
    },
  ],
  claims: { openid: ['sub'], profile: ['preferred_username'] },
  conformIdTokenClaims: false,
  findAccount: (_, id) => ({ accountId: id, claims: () => ({ sub: id, preferred_username: id }) }),
  interactions: { url: (_, interaction) => `/interaction/${interaction.uid}` },
  features: { devInteractions: { enabled: false } },
  pkce: { required: () => true },
  ttl: { Interaction: 60, Session: 60, Grant: 60, IdToken: 60, AccessToken: 60 },
  cookies: { keys: ['harbour'] },
  async loadExistingGrant(ctx) {
    const grant = new ctx.oidc.provider.Grant({ clientId: ctx.oidc.client.clientId, accountId: ctx.oidc.session.accountId })
    grant.addOIDCScope('openid profile')
    await grant.save()
    return grant
  },
})
provider.use(async (ctx, next) => {
  if (ctx.path.startsWith('/interaction/')) {
    await provider.interactionFinished(ctx.req, ctx.res, { login: { accountId: account } })
    ctx.respond = false
    return
  }
  await next()
})
provider.listen(Number(port), '127.0.0.1', () => console.log(`serves on http://127.0.0.1:${port}`))
