import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { shortDay } from '../../shared/words'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'

/** What keeps somebody from being erased: until when, who set it and why. */
export function LegalHold({ user: u, acts }: { user: Schemas['UserDetail']; acts: boolean }) {
  const sheet = useSheet()
  const hold = u.legal_hold
  if (!hold && !acts) return null
  return (
    <section aria-label={t`Legal hold`} className="border-rule mt-6 max-w-160 border-t pt-4">
      {hold && (
        <>
          <p>
            <Trans>
              <strong>Under legal hold</strong> until the end of {shortDay(hold.last_day)}: {u.display_name} is not erased.
            </Trans>
          </p>
          {hold.given && (
            <p className="text-soft text-sm">
              {hold.given.by?.label ?? t`The host`}, {shortDay(hold.given.at)}: {hold.given.reason}
            </p>
          )}
        </>
      )}
      {acts && (
        <p className="mt-1 flex flex-wrap gap-x-4 gap-y-2">
          <AddPanel
            press={hold ? t`Another last day` : t`Put under legal hold`}
            label={hold ? t`Another last day of the legal hold` : t`Put under legal hold`}
            name={`hold-${u.user_name}`}
          >
            {(done) => <SetHold user={u} done={done} />}
          </AddPanel>
          {hold && (
            <button
              type="button"
              className="press text-sm"
              onClick={() =>
                sheet.add(
                  {
                    verb: t`End`,
                    what: t`the legal hold of ${u.display_name}`,
                    operations: [{ op: 'end_legal_hold', user: u.user_name }],
                  },
                  u.revision,
                )
              }
            >
              <Trans>End the legal hold</Trans>
            </button>
          )}
        </p>
      )}
    </section>
  )
}

function SetHold({ user: u, done }: { user: Schemas['UserDetail']; done: () => void }) {
  const sheet = useSheet()
  const [until, setUntil] = useTyped(`Hold ${u.user_name}`, u.legal_hold?.last_day ?? '')
  return (
    <form
      aria-label={t`Put under legal hold`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Hold`,
            what: u.display_name,
            detail: t`not to be erased until the end of ${shortDay(until)}`,
            operations: [{ op: 'set_legal_hold', user: u.user_name, last_day: until }],
          },
          u.revision,
        )
        done()
      }}
    >
      <label>
        <Trans>Last day of the hold</Trans>
        <input type="date" className="field" value={until} onChange={(e) => setUntil(e.target.value)} />
      </label>
      <p className="text-soft mt-2 text-sm">
        <Trans>Whoever is under hold cannot be erased. Say in the reason what it is for.</Trans>
      </p>
      <button type="submit" className="button mt-3" disabled={!until}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
