import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { UserBox } from '../../shared/UserBox'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'

/** Merges the record of somebody into another one of the same person. */
export function Merge({ user: u, done }: { user: Schemas['UserDetail']; done: () => void }) {
  const sheet = useSheet()
  const [into, setInto] = useTyped(`Merge ${u.user_name}`, { key: '', name: '' })
  return (
    <form
      aria-label={t`Merge ${u.display_name}`}
      className="bg-wash mt-3 max-w-160 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Merge`,
            what: t`${u.user_name} into ${into.name || into.key}`,
            operations: [{ op: 'merge_users', user: u.user_name, into: into.key }],
          },
          u.revision,
        )
        setInto({ key: '', name: '' })
        done()
      }}
    >
      <p>
        <Trans>
          Is this record one of somebody who has another? What was given to {u.user_name} by hand and what they own moves to the other
          record, and {u.user_name} departs. The history of both stands with the one that stays.
        </Trans>
      </p>
      <div className="mt-2 max-w-80">
        <span aria-hidden>
          <Trans>The record that stays</Trans>
        </span>
        <UserBox label={t`The record that stays`} value={into.key} onChange={(key, name) => setInto({ key, name })} />
      </div>
      <button type="submit" className="button mt-3" disabled={!into.key || into.key === u.user_name}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
