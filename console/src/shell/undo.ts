import { t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { answer, api, ProblemError, type Schemas } from '../api/client'
import { enough } from '../shared/words'
import { useSheet } from './sheet'

type UndoLine = Schemas['UndoLine']

/** What differs in sentences that begin and end alike: whom each is about. */
function differing(all: string[]): string[] {
  const words = all.map((s) => s.split(' '))
  const same = (at: (w: string[], i: number) => string | undefined) => {
    let n = 0
    while (words.every((w) => n < w.length - 1 && at(w, n) === at(words[0]!, n))) n++
    return n
  }
  const before = same((w, i) => w[i])
  const after = same((w, i) => w[w.length - 1 - i])
  return words.map((w) => w.slice(before, Math.max(before + 1, w.length - after)).join(' '))
}

/** Four or more lines one after another that do the same to different users are one line of the sheet. */
function together(lines: UndoLine[]): UndoLine[][] {
  // An assignment that is revoked is known by its number: of which role it is, the words before the name tell.
  const role = (l: UndoLine) => l.words.slice(0, Math.max(0, l.words.lastIndexOf(' of ')))
  const kind = (l: UndoLine) =>
    JSON.stringify([
      l.operations.map((o) => ({ ...o, user: undefined, assignment: undefined })),
      l.operations.some((o) => 'assignment' in o) && role(l),
    ])
  const out: UndoLine[][] = []
  for (const l of lines) {
    const last = out.at(-1)
    if (last && kind(last[0]!) === kind(l)) last.push(l)
    else out.push([l])
  }
  return out.flatMap((all) => (all.length < 4 ? all.map((l) => [l]) : [all]))
}

/** Puts what takes a revision back on the change sheet, in one press. */
export function useUndo() {
  const sheet = useSheet()
  const undo = useMutation({
    mutationFn: (revision: number) => answer(api.GET('/api/v1/revisions/{revision}/undo', { params: { path: { revision } } })),
    onSuccess: (x) => {
      const first = sheet.lines.length === 0
      sheet.load(
        together(x.lines).map((all) => ({
          verb: t`Undo`,
          what: t`revision ${x.of}: ${all[0]!.words}${all.length > 1 ? t`, and ${all.length - 1} more` : ''}`,
          detail: all.length > 1 ? enough(differing(all.map((l) => l.words))) : undefined,
          operations: all.flatMap((l) => l.operations),
        })),
        x.revision,
      )
      if (first && sheet.reason === '') sheet.setReason(t`Undo of revision ${x.of}`)
    },
  })
  const x = undo.data
  const stays = x ? [...x.stays, ...(x.outside ? [t`There is more to it, outside what you may see: it stays.`] : [])] : []
  return {
    undo: (revision: number) => undo.mutate(revision),
    reset: undo.reset,
    isPending: undo.isPending,
    /** What was not put on the sheet, and why. */
    stays: x && x.lines.length === 0 && stays.length === 0 ? [t`Nothing of it is left to take back.`] : stays,
    problem: undo.error instanceof ProblemError ? undo.error.problem : undefined,
  }
}
