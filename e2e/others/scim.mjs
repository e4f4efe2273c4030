// A library that others wrote holds what we answer by SCIM to its schemas, and does to each resource
// what a PATCH says: node scim.mjs BASE TOKEN. It prints how many were looked at, and what does not fit.
import SCIMMY from 'scimmy'

const [base, token] = process.argv.slice(2)
const faults = []
let looked = 0
const call = async (method, path, body) => {
  const r = await fetch(base + path, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/scim+json' },
    body: body && JSON.stringify(body),
  })
  return { status: r.status, body: r.status === 204 ? undefined : await r.json() }
}
const fits = (what, make) => {
  looked++
  try {
    return make()
  } catch (e) {
    faults.push(`${what}: ${e.message}`)
  }
}
const kinds = { Users: SCIMMY.Schemas.User, Groups: SCIMMY.Schemas.Group }
kinds.Users.extend(SCIMMY.Schemas.EnterpriseUser)
for (const [kind, Schema] of Object.entries(kinds)) {
  const { body } = await call('GET', `/${kind}?count=200`)
  fits(`the list of ${kind}`, () => new SCIMMY.Messages.ListResponse(body))
  for (const x of body.Resources) fits(`${kind} ${x.id}`, () => new Schema(x, 'out'))
}
const missing = await call('GET', '/Users/user-999999')
fits('an error', () => {
  // The library reads an error by throwing it.
  let thrown
  try {
    new SCIMMY.Messages.Error(missing.body)
  } catch (e) {
    thrown = e
  }
  if (String(thrown?.status) !== '404' || thrown.message !== missing.body.detail) throw new Error(`an error is read as ${thrown?.status} ${thrown}`)
})

// What a PATCH makes of a resource is what the library makes of it.
// The formatted name is the display name here, one value.
const plain = ({ displayName, title, active, emails, userName }) =>
  JSON.stringify({ displayName, title, active, emails: emails.map(({ value, type, primary }) => ({ value, type, primary })), userName })
const made = await call('POST', '/Users', {
  schemas: ['urn:ietf:params:scim:schemas:core:2.0:User'],
  userName: 'others.own',
  displayName: 'Others Own',
  title: 'Cook',
  emails: [{ value: 'others.own@larkhaven.example', type: 'work', primary: true }],
})
if (made.status !== 201) faults.push(`made: ${made.status} ${JSON.stringify(made.body)}`)
for (const Operations of [
  [{ op: 'replace', path: 'title', value: 'Baker' }],
  [{ op: 'Replace', value: { title: 'Smith', displayName: 'Others Their Own' } }],
  [{ op: 'remove', path: 'title' }],
  [{ op: 'add', path: 'title', value: 'Cook' }],
  [{ op: 'replace', path: 'emails[type eq "work"].value', value: 'o@larkhaven.example' }],
  [{ op: 'replace', path: 'active', value: false }, { op: 'replace', path: 'active', value: true }],
]) {
  const body = { schemas: ['urn:ietf:params:scim:api:messages:2.0:PatchOp'], Operations }
  const before = (await call('GET', `/Users/${made.body.id}`)).body
  const by = fits(`PATCH ${JSON.stringify(Operations)}`, () => new SCIMMY.Messages.PatchOp(body))
  const theirs = by && (await by.apply(new SCIMMY.Schemas.User(before, 'out')).catch((e) => faults.push(e.message)))
  const ours = await call('PATCH', `/Users/${made.body.id}`, body)
  if (ours.status >= 300) faults.push(`PATCH ${JSON.stringify(Operations)}: ${ours.status} ${JSON.stringify(ours.body)}`)
  const after = (await call('GET', `/Users/${made.body.id}`)).body
  if (theirs && plain(theirs) !== plain(after)) faults.push(`PATCH ${JSON.stringify(Operations)}: they make ${plain(theirs)}, we make ${plain(after)}`)
}
console.log(JSON.stringify({ looked, faults }))
