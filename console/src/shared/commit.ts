import { useState } from 'react'
import { ProblemError, type Operation, type Schemas } from '../api/client'
import { useSend } from '../shell/send'

/** Commits operations at once, with their reason: what is a decision of its own
 * and has no place on the change sheet. name is what it is kept under while no answer came. */
export function useCommit(name: string, then: (result: Schemas['ChangeResult']) => void) {
  const [passed, pass] = useState<string[]>([])
  const send = useSend(name, (result) => {
    pass([])
    then(result)
  })
  const commit = {
    ...send,
    mutate: (x: { operations: Operation[]; reason: string; reference?: string }) => send.send({ ...x, acknowledge: passed }),
  }
  const problem = send.error instanceof ProblemError ? send.error.problem : undefined
  return { commit, problem, rails: problem?.rails ?? [], passed, pass }
}
