import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { whatIf } from '../api/ask'
import type { Operation } from '../api/client'
import { PickBox, type Choice } from '../shared/PickBox'
import { Trouble } from '../shared/State'
import { UserBox } from '../shared/UserBox'
import { useRoleChoices } from './users/choices'
import { ValueBox } from './users/ValueBox'

/** Tries a delegation out before it is given: what its holder could do to somebody. */
export function TryDelegation({ delegate, operation }: { delegate: { key: string; name: string }; operation: Operation }) {
  const roles = useRoleChoices()
  const [whom, setWhom] = useState({ key: '', name: '' })
  const [role, setRole] = useState<Choice | null>(null)
  const [unit, setUnit] = useState('')
  const tries: { label: string; operations: Operation[] }[] = []
  if (whom.key) {
    const user = whom.key
    if (role) {
      tries.push({ label: t`Grant ${role.label} to ${whom.name}`, operations: [{ op: 'grant', user, role: role.key }] })
    }
    tries.push({ label: t`Suspend ${whom.name}`, operations: [{ op: 'update_user', user, status: 'suspended' }] })
    if (unit.trim())
      tries.push({ label: t`Move ${whom.name} to ${unit.trim()}`, operations: [{ op: 'update_user', user, unit: unit.trim() }] })
  }
  const tried = useQuery({
    ...whatIf({ operations: [operation], as: delegate.key, tries: tries.map((attempt) => ({ operations: attempt.operations })) }),
    enabled: tries.length > 0,
  })
  return (
    <details className="border-rule mt-4 border-t pt-2">
      <summary>
        <Trans>Try it out: what {delegate.name} could do</Trans>
      </summary>
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-3">
        <div>
          <Trans>
            To whom
            <UserBox label={t`To whom it is tried`} value={whom.key} onChange={(key, name) => setWhom({ key, name })} />
          </Trans>
        </div>
        <div>
          <Trans>A role</Trans>
          <PickBox label={t`Role that is tried`} choices={roles} value={role} onChange={setRole} />
        </div>
        <label>
          <Trans>Another unit</Trans>
          <ValueBox attribute="unit" value={unit} set={setUnit} />
        </label>
      </div>
      {tried.error && <Trouble error={tried.error} />}
      <ul className="mt-2" aria-live="polite">
        {tries.map((attempt, i) => {
          const x = tried.data?.tried?.[i]
          return (
            <li key={attempt.label} className="border-rule border-b py-1">
              {attempt.label}:{' '}
              {!x ? (
                '…'
              ) : x.could ? (
                <strong className="text-kelp">
                  <Trans>could</Trans>
                </strong>
              ) : (
                <strong className="text-brick">
                  <Trans>could not</Trans>
                </strong>
              )}
              {x?.why && <span className="text-soft"> {x.why}</span>}
            </li>
          )
        })}
      </ul>
    </details>
  )
}
