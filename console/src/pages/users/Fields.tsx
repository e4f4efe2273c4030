import type { Schemas } from '../../api/client'
import { UserBox } from '../../shared/UserBox'

export type Values = Record<string, string>

type Field = { name: string; label: string; hint?: string; type?: string }

/** What is said of every user; those of somebody new have a user name as well. */
const fields: Field[] = [
  { name: 'display_name', label: 'Name' },
  { name: 'user_name', label: 'User name', hint: 'what they sign in with; never reused' },
  { name: 'email', label: 'E-mail' },
  { name: 'unit', label: 'Unit', hint: 'such as marine/pilotage' },
  { name: 'title', label: 'Title' },
  { name: 'manager', label: 'Manager' },
  { name: 'employment_type', label: 'Employment' },
  { name: 'location', label: 'Location' },
  { name: 'start_date', label: 'First day', type: 'date' },
  { name: 'end_date', label: 'Last day', type: 'date' },
]

const types: Record<string, string> = { date: 'date', number: 'number', text: 'text' }

/** The fields of a user, and those of the attributes the organisation declared
 * under their keys with “custom.” before them. */
export function Fields({
  values,
  set,
  declared,
  fresh,
}: {
  values: Values
  set: (v: Values) => void
  declared: Schemas['Attribute'][]
  fresh?: boolean
}) {
  const put = (name: string, value: string) => set({ ...values, [name]: value })
  return (
    <>
      {fields
        .filter((f) => fresh || f.name !== 'user_name')
        .map((f) =>
          f.name === 'manager' ? (
            <div key={f.name}>
              <span aria-hidden>Manager</span> <span className="text-soft text-sm">by name</span>
              <UserBox label="Manager" value={values.manager ?? ''} onChange={(v) => put('manager', v)} />
            </div>
          ) : (
            <label key={f.name}>
              {f.label} {f.hint && <span className="text-soft text-sm">{f.hint}</span>}
              <input
                className="field"
                name={f.name}
                type={f.type ?? 'text'}
                autoComplete="off"
                value={values[f.name] ?? ''}
                onChange={(e) => put(f.name, e.target.value)}
              />
            </label>
          ),
        )}
      {declared
        .filter((a) => !a.fill)
        .map((a) => {
          const name = `custom.${a.key}`
          const oneOf = a.type === 'truth' ? ['true', 'false'] : a.allowed
          return (
            <label key={a.key}>
              {a.label}{' '}
              <span className="text-soft text-sm">
                {[a.required && 'required', a.personal && 'personal', a.pattern && `matches ${a.pattern}`].filter(Boolean).join(', ')}
              </span>
              {oneOf && oneOf.length > 0 ? (
                <select className="field" name={name} value={values[name] ?? ''} onChange={(e) => put(name, e.target.value)}>
                  <option value="">not given</option>
                  {oneOf.map((v) => (
                    <option key={v} value={v}>
                      {v}
                    </option>
                  ))}
                </select>
              ) : (
                <input
                  className="field"
                  name={name}
                  type={types[a.type]}
                  step="any"
                  required={fresh && a.required}
                  autoComplete="off"
                  value={values[name] ?? ''}
                  onChange={(e) => put(name, e.target.value)}
                />
              )}
            </label>
          )
        })}
    </>
  )
}

/** The fields of an operation that says these values; only those that differ from
 * before. */
export function operationOf(values: Values, before: Values): Record<string, unknown> {
  const out: Record<string, unknown> = {}
  const custom: Record<string, string> = {}
  for (const [name, text] of Object.entries(values)) {
    const value = text.trim()
    if (value === (before[name] ?? '')) continue
    if (name.startsWith('custom.')) custom[name.slice('custom.'.length)] = value
    else out[name] = value
  }
  return Object.keys(custom).length > 0 ? { ...out, custom } : out
}

/** The values of a user as the fields hold them. */
export function valuesOf(u: Schemas['User']): Values {
  const out: Values = {}
  const all = { ...u, manager: u.manager?.key } as Record<string, unknown>
  for (const f of fields) if (typeof all[f.name] === 'string') out[f.name] = all[f.name] as string
  for (const [key, value] of Object.entries(u.custom ?? {})) out[`custom.${key}`] = value
  return out
}
