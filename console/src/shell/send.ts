import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { useDraft } from './drafts'
import { answer, api, ProblemError, type Schemas } from '../api/client'

type Body = Schemas['ChangeRequest']

/** A change that was sent, and of which no answer came yet. */
type Sent = { key: string; body: Body; mark: string[] }

// What an answer leaves open: none came, or the service could not say.
const open = (e: unknown, again: boolean) =>
  !(e instanceof ProblemError) || e.problem.status === 0 || e.problem.status >= 500 || (again && [401, 429].includes(e.problem.status))

/** Sends changes so that each is made once. Where the answer is lost, the same is sent again
 * under the same key until it is known what became of it; that outlives the page. mark is
 * what the caller has to know of what was sent. */
export function useSend(name: string, then: (result: Schemas['ChangeResult'], mark: string[]) => void) {
  const queries = useQueryClient()
  const [sent, setSent] = useDraft<Sent | null>(`${name} sent`, null)
  const busy = useRef(false)
  const [pending, setPending] = useState(false)
  const send = useMutation({
    mutationFn: async (it: Sent) => {
      const again = sent !== null
      setSent(it)
      try {
        const result = await answer(api.POST('/api/v1/changes', { params: { header: { 'Idempotency-Key': it.key } }, body: it.body }))
        setSent(null)
        return { result, mark: it.mark }
      } catch (e) {
        if (!open(e, again)) setSent(null)
        throw e
      }
    },
    onSuccess: async ({ result, mark }) => {
      then(result, mark)
      await queries.invalidateQueries()
    },
    // What was looked at may be old: the pages are read again.
    onError: () => queries.invalidateQueries(),
    onSettled: () => {
      busy.current = false
      setPending(false)
    },
  })
  const go = (it: Sent) => {
    if (busy.current) return // a second press
    busy.current = true
    setPending(true)
    send.mutate(it)
  }
  const lost = sent !== null && !pending
  useEffect(() => {
    if (!lost) return
    const timer = setTimeout(() => go(sent), 2000)
    return () => clearTimeout(timer)
  })
  return {
    send: (body: Body, mark: string[] = []) => go({ key: crypto.randomUUID(), body, mark }),
    /** No answer came, and it is asked again. */
    lost: sent !== null && (lost || send.failureCount > 0 || send.isError),
    isPending: pending || sent !== null,
    error: sent === null ? send.error : null,
    reset: send.reset,
  }
}
