import { useMutation } from '@tanstack/react-query'
import { answer, api, ProblemError } from '../api/client'
import { useSheet } from './sheet'

/** Puts what takes a revision back on the change sheet, in one press. */
export function useUndo() {
  const sheet = useSheet()
  const undo = useMutation({
    mutationFn: (revision: number) => answer(api.GET('/api/v1/revisions/{revision}/undo', { params: { path: { revision } } })),
    onSuccess: (x) => {
      const first = sheet.lines.length === 0
      sheet.load(
        x.lines.map((l) => ({ verb: 'Undo', what: `revision ${x.of}: ${l.words}`, operations: l.operations })),
        x.revision,
      )
      if (first && sheet.reason === '') sheet.setReason(`Undo of revision ${x.of}`)
    },
  })
  const x = undo.data
  const stays = x ? [...x.stays, ...(x.outside ? ['There is more to it, outside what you may see: it stays.'] : [])] : []
  return {
    undo: (revision: number) => undo.mutate(revision),
    reset: undo.reset,
    isPending: undo.isPending,
    /** What was not put on the sheet, and why. */
    stays: x && x.lines.length === 0 && stays.length === 0 ? ['Nothing of it is left to take back.'] : stays,
    problem: undo.error instanceof ProblemError ? undo.error.problem : undefined,
  }
}
