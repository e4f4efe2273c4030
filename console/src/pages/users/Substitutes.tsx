import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { UserBox } from '../../shared/UserBox'
import { list, shortDay } from '../../shared/words'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'
import { Days, noDays } from './Times'

type User = Schemas['UserDetail']

/** Who decides in somebody's place, and in whose place they decide. Own says that it is one's own page. */
export function Substitutes({ user: u, acts, own }: { user: User; acts: boolean; own?: boolean }) {
  const sheet = useSheet()
  const substitutes = u.substitutes ?? []
  const others = u.stands_in_for ?? []
  if (!acts && substitutes.length + others.length === 0) return null
  const whose = own ? t`your` : t`their`
  return (
    <section aria-label={t`Substitutes`} className="mt-7 max-w-160">
      <h2>
        <Trans>Substitutes</Trans>
      </h2>
      <p className="text-soft">
        <Trans>A substitute decides on requests and reviews in {whose} place for a time, and gets no access by it.</Trans>
      </p>
      {others.length > 0 && (
        <p className="mt-1">
          <Trans>
            {own ? t`You decide` : t`Decides`} in the place of {list(others.map((r) => r.label))}, now or later.
          </Trans>
        </p>
      )}
      {substitutes.length > 0 && (
        <table className="register">
          <tbody>
            {substitutes.map((x) => (
              <tr key={x.number}>
                <td>{x.substitute.label}</td>
                <td className="text-brass">
                  <Trans>
                    {shortDay(x.start_date)} to {shortDay(x.end_date)}
                  </Trans>
                </td>
                {acts && (
                  <td className="text-right">
                    <button
                      type="button"
                      className="press text-sm"
                      aria-label={t`End ${x.substitute.label} as a substitute`}
                      onClick={() =>
                        sheet.add(
                          {
                            verb: t`End`,
                            what: t`${x.substitute.label} as a substitute of ${u.display_name}`,
                            operations: [{ op: 'end_substitute', user: u.user_name, number: x.number }],
                          },
                          u.revision,
                        )
                      }
                    >
                      <Trans>End</Trans>
                    </button>
                  </td>
                )}
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {acts && (
        <div className="mt-2">
          <AddPanel label={t`Add a substitute`}>{(done) => <AddSubstitute user={u} done={done} />}</AddPanel>
        </div>
      )}
    </section>
  )
}

const nobody = { key: '', name: '' }

function AddSubstitute({ user: u, done }: { user: User; done: () => void }) {
  const sheet = useSheet()
  const [who, setWho] = useTyped(`AddSubstitute ${u.user_name}`, nobody)
  const [days, setDays] = useTyped(`AddSubstitute days ${u.user_name}`, noDays)
  return (
    <form
      aria-label={t`Add a substitute`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'add_substitute',
          user: u.user_name,
          substitute: who.key,
          start_date: days.first,
          end_date: days.last,
        }
        sheet.add(
          {
            verb: t`Have`,
            what: t`${who.name} decide in the place of ${u.display_name}`,
            detail: t`${shortDay(days.first)} to ${shortDay(days.last)}`,
            operations: [operation],
          },
          u.revision,
        )
        setWho(nobody)
        setDays(noDays)
        done()
      }}
    >
      <div className="sm:col-span-2">
        <Trans>
          Substitute
          <UserBox label={t`Substitute`} value={who.key} onChange={(key, name) => setWho({ key, name })} />
        </Trans>
      </div>
      <Days days={days} set={setDays} last={t`a substitute is for a time`} />
      <button type="submit" className="button justify-self-start" disabled={!who.key || !days.first || !days.last}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
