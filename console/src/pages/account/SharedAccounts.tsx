import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import type { Schemas } from '../../api/client'
import { moment } from '../../shared/words'
import { useSheet } from '../../shell/sheet'

type Account = Schemas['SharedAccount']

/** What becomes of a shared account, in a sentence. */
export function stateWords(a: Account): string {
  const who = a.held_by?.label ?? t`Somebody`
  switch (a.state) {
    case 'out':
      return t`${who} has it until ${moment(a.until!)}`
    case 'overdue':
      return t`${who} was to return it by ${moment(a.until!)}`
    case 'secret_used':
      return t`returned ${moment(a.returned!)}: its secret is to be changed`
    default:
      return 'free'
  }
}

/** The presses for what the caller may do with an account as it is. */
export function SharedActs({ account: a, revision }: { account: Account; revision: number }) {
  const sheet = useSheet()
  const name = a.user.label
  const user = a.user.key!
  const act = (
    label: string,
    verb: string,
    what: string,
    op: 'check_out_account' | 'return_account' | 'confirm_rotation' | 'record_account_test',
  ) => (
    <button type="button" className="press" onClick={() => sheet.add({ verb, what, operations: [{ op, user }] }, revision)}>
      {label}
    </button>
  )
  return (
    <span className="flex flex-wrap gap-x-4 gap-y-2">
      {a.may.includes('check_out') &&
        act(t`Check out for ${plural(a.max_hours, { one: '# hour', other: '# hours' })}`, t`Check out`, name, 'check_out_account')}
      {a.may.includes('return') && act(t`Return`, t`Return`, name, 'return_account')}
      {a.may.includes('confirm_rotation') &&
        act(t`Secret was changed`, t`Confirm`, t`that the secret of ${name} was changed`, 'confirm_rotation')}
      {a.may.includes('record_test') && act(t`Tested today`, t`Record`, t`that ${name} was tested`, 'record_account_test')}
    </span>
  )
}

/** The accounts that one keeps or may check out. */
export function MySharedAccounts() {
  const all = useQuery(ask('/api/v1/shared-accounts'))
  const mine = (all.data?.accounts ?? []).filter((a) => a.may.some((m) => m !== 'edit' && m !== 'record_test') || a.state === 'out')
  if (!all.data || mine.length === 0) return null
  return (
    <section aria-labelledby="my-shared-accounts" className="mt-8 max-w-180">
      <h2 id="my-shared-accounts">
        <Trans>Shared accounts</Trans>
      </h2>
      <table className="register">
        <tbody>
          {mine.map((a) => (
            <tr key={a.user.id}>
              <td>
                {a.user.label} <span className="text-soft font-mono text-sm">{a.user.key}</span>
                <div className="text-soft text-sm">{a.purpose}</div>
                {a.custodian && (
                  <div className="text-soft text-sm">
                    <Trans>Its secret is with {a.custodian.label}.</Trans>
                  </div>
                )}
              </td>
              <td className={a.state === 'overdue' ? 'text-brick' : ''}>{stateWords(a)}</td>
              <td className="text-right">
                <SharedActs account={a} revision={all.data.revision} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  )
}
