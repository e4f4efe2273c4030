import { t } from '@lingui/core/macro'
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']
export type Problem = Pick<Schemas['Problem'], 'type' | 'title' | 'status'> & Partial<Schemas['Problem']>
export type Operation = Schemas['Operation']
/** The operations of one kind: `OperationOf<'grant'>`. */
export type OperationOf<V extends Operation['op']> = Extract<Operation, { op: V }>

export const api = createClient<paths>({ baseUrl: '/' })

// Every call says for whom it is made: where somebody else is signed in by now, in another
// tab, it is refused.
let meant: string | undefined
let onOther: () => void = () => undefined
let toConfirm: (() => Promise<boolean>) | undefined
let confirming: Promise<boolean> | undefined
const sent = new Map<string, Request>()
api.use({
  onRequest({ request, id }) {
    if (meant) request.headers.set('Roster-User', meant)
    if (request.method !== 'GET') sent.set(id, request.clone())
    return request
  },
  async onResponse({ response, id }) {
    const again = sent.get(id)
    sent.delete(id)
    if (response.status !== 403 || !again || !toConfirm) return undefined
    const p = (await response
      .clone()
      .json()
      .catch(() => ({}))) as Partial<Problem>
    if (p.type !== 'confirmation-needed') return undefined
    // What was refused is asked once more, when whoever asks has proved who they are; one asks for all that wait.
    confirming ??= toConfirm().finally(() => (confirming = undefined))
    return (await confirming) ? fetch(again) : undefined
  },
  onError({ id }) {
    sent.delete(id)
  },
})

/** Has all calls be made for a user, or for whoever is signed in. */
export const callFor = (user: string | undefined) => {
  meant = user
}

/** Calls back when a call is refused until one has confirmed who one is: true makes it once more. */
export const whenToConfirm = (f: () => Promise<boolean>) => {
  toConfirm = f
}

/** Calls back when somebody else turns out to be signed in. */
export const whenOther = (f: () => void) => {
  onOther = f
}

/** What a call throws when the answer is a problem. */
export class ProblemError extends Error {
  constructor(public problem: Problem) {
    super(problem.detail ?? problem.title)
  }
}

/** The data of a call; a problem, or a service that cannot be reached, is thrown. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await call
  } catch {
    throw new ProblemError({
      type: 'not-reached',
      title: t`Not reached`,
      status: 0,
      detail: t`The service cannot be reached. What you see may be old; try again in a moment.`,
    })
  }
  if (result.response.ok) return result.data as T
  const p = result.error as Problem | undefined
  if (p?.type === 'another-user') onOther()
  throw new ProblemError(p?.title ? p : { type: 'internal', title: t`Something went wrong`, status: result.response.status })
}
