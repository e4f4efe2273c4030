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
      tries.push({ label: `Grant ${role.label} to ${whom.name}`, operations: [{ op: 'grant', user, role: role.key }] })
    }
    tries.push({ label: `Suspend ${whom.name}`, operations: [{ op: 'update_user', user, status: 'suspended' }] })
    if (unit.trim())
      tries.push({ label: `Move ${whom.name} to ${unit.trim()}`, operations: [{ op: 'update_user', user, unit: unit.trim() }] })
  }
  const tried = useQuery({
    ...whatIf({ operations: [operation], as: delegate.key, tries: tries.map((t) => ({ operations: t.operations })) }),
    enabled: tries.length > 0,
  })
  return (
    <details className="border-rule mt-4 border-t pt-2">
      <summary>Try it out: what {delegate.name} could do</summary>
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-3">
        <div>
          To whom
          <UserBox label="To whom it is tried" value={whom.key} onChange={(key, name) => setWhom({ key, name })} />
        </div>
        <div>
          A role
          <PickBox label="Role that is tried" choices={roles} value={role} onChange={setRole} />
        </div>
        <label>
          Another unit
          <ValueBox attribute="unit" value={unit} set={setUnit} />
        </label>
      </div>
      {tried.error && <Trouble error={tried.error} />}
      <ul className="mt-2" aria-live="polite">
        {tries.map((t, i) => {
          const x = tried.data?.tried?.[i]
          return (
            <li key={t.label} className="border-rule border-b py-1">
              {t.label}:{' '}
              {!x ? '…' : x.could ? <strong className="text-kelp">could</strong> : <strong className="text-brick">could not</strong>}
              {x?.why && <span className="text-soft"> {x.why}</span>}
            </li>
          )
        })}
      </ul>
    </details>
  )
}
