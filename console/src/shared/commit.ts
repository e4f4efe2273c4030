import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError, type Operation, type Schemas } from '../api/client'

/** Commits operations at once, with their reason: what is a decision of its own
 * and has no place on the change sheet. */
export function useCommit(then: (result: Schemas['ChangeResult']) => void) {
  const queries = useQueryClient()
  const [key, setKey] = useState(() => crypto.randomUUID())
  const [passed, pass] = useState<string[]>([])
  const commit = useMutation({
    mutationFn: (x: { operations: Operation[]; reason: string }) =>
      answer(api.POST('/api/v1/changes', { params: { header: { 'Idempotency-Key': key } }, body: { ...x, acknowledge: passed } })),
    onSuccess: async (result) => {
      pass([])
      await queries.invalidateQueries()
      then(result)
    },
    onError: () => queries.invalidateQueries(),
    onSettled: () => setKey(crypto.randomUUID()),
  })
  const problem = commit.error instanceof ProblemError ? commit.error.problem : undefined
  return { commit, problem, rails: problem?.rails ?? [], passed, pass }
}
