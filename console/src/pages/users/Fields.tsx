import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import type { Schemas } from '../../api/client'
import { UserBox } from '../../shared/UserBox'
import { ValueBox } from './ValueBox'
import { builtInOf, hasValues, type useAttributes } from './attributes'

export type Values = Record<string, string>

/** What is set in other ways: by adding a user, suspending them, or letting them depart. */
const elsewhere = ['kind', 'status']

const types: Record<string, string> = { date: 'date', number: 'number', text: 'text' }

/** The fields of a user, and those of the attributes the organisation declared
 * under their keys with “custom.” before them. */
export function Fields({
  values,
  set,
  attributes: { builtIn, declared },
  fresh,
}: {
  values: Values
  set: (v: Values) => void
  attributes: ReturnType<typeof useAttributes>
  fresh?: boolean
}) {
  const put = (name: string, value: string) => set({ ...values, [name]: value })
  return (
    <>
      {builtIn
        .filter((a) => !elsewhere.includes(a.key) && (fresh || a.key !== 'user_name'))
        .map((a) =>
          a.key === 'manager' ? (
            <div key={a.key}>
              <span aria-hidden>
                <Trans>Manager</Trans>
              </span>{' '}
              <span className="text-soft text-sm">
                <Trans>by name</Trans>
              </span>
              <UserBox label={t`Manager`} value={values.manager ?? ''} onChange={(v) => put('manager', v)} />
            </div>
          ) : (
            <label key={a.key}>
              {a.label} {a.hint && a.type === 'text' && <span className="text-soft text-sm">{a.hint}</span>}
              {hasValues(a) ? (
                <ValueBox attribute={a.key} name={a.key} value={values[a.key] ?? ''} set={(v) => put(a.key, v)} />
              ) : (
                <input
                  className="field"
                  name={a.key}
                  type={types[a.type]}
                  autoComplete="off"
                  value={values[a.key] ?? ''}
                  onChange={(e) => put(a.key, e.target.value)}
                />
              )}
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
                {[a.required && 'required', a.personal && 'personal', a.pattern && t`matches ${a.pattern}`].filter(Boolean).join(', ')}
              </span>
              {oneOf && oneOf.length > 0 ? (
                <select className="field" name={name} value={values[name] ?? ''} onChange={(e) => put(name, e.target.value)}>
                  <option value="">
                    <Trans>not given</Trans>
                  </option>
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
export function valuesOf(u: Schemas['User'], builtIn: Schemas['BuiltInAttribute'][]): Values {
  const out: Values = {}
  for (const a of builtIn) {
    const value = a.key === 'manager' ? (u.manager?.key ?? '') : builtInOf(u, a.key)
    if (value && !elsewhere.includes(a.key)) out[a.key] = value
  }
  for (const [key, value] of Object.entries(u.custom ?? {})) out[`custom.${key}`] = value
  return out
}
