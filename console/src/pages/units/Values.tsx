import { Trans } from '@lingui/react/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../../api/ask'
import type { Schemas } from '../../api/client'

type Values = Record<string, string>

/** The declared attributes of units that are in use. */
export function useUnitAttributes(): Schemas['Attribute'][] {
  const all = useQuery(ask('/api/v1/attributes'))
  return (all.data?.unit_attributes ?? []).filter((a) => !a.retired)
}

/** A box for each declared attribute of a unit. */
export function ValueFields({ values, set }: { values: Values; set: (values: Values) => void }) {
  const attributes = useUnitAttributes()
  return attributes.map((a) => {
    const value = values[a.key] ?? ''
    const change = (text: string) => set({ ...values, [a.key]: text })
    const options = a.type === 'truth' ? ['true', 'false'] : (a.allowed ?? [])
    return (
      <label key={a.key}>
        {a.label}{' '}
        {a.required && (
          <span className="text-soft text-sm">
            <Trans>required</Trans>
          </span>
        )}
        {options.length > 0 ? (
          <select className="field" value={value} onChange={(e) => change(e.target.value)}>
            <option value="">
              <Trans>none</Trans>
            </option>
            {options.map((o) => (
              <option key={o}>{o}</option>
            ))}
          </select>
        ) : (
          <input className="field" type={a.type === 'date' ? 'date' : 'text'} value={value} onChange={(e) => change(e.target.value)} />
        )}
      </label>
    )
  })
}

/** The values that differ from those before; a blank one clears. */
export function changed(before: Values | undefined, now: Values): Values | undefined {
  const out = Object.fromEntries(Object.entries(now).filter(([k, v]) => v.trim() !== (before?.[k] ?? '')))
  return Object.keys(out).length > 0 ? out : undefined
}
