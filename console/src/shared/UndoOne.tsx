import { Trans } from '@lingui/react/macro'
import { Stays } from '../shell/Stays'
import { useUndo } from '../shell/undo'

/** Puts what takes a revision back on the sheet, and says what stays. */
export function UndoOne({ revision }: { revision: number }) {
  const { undo, isPending, stays, problem } = useUndo()
  return (
    <>
      <button type="button" className="button-quiet mt-2" disabled={isPending} onClick={() => undo(revision)}>
        <Trans>Undo revision {revision}</Trans>
      </button>
      <Stays stays={stays} problem={problem} />
    </>
  )
}
