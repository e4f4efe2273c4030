import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useState } from 'react'

/** Somebody who is not there yet, as an address says it. */
export type Newcomer = { unit?: string; title?: string; employment?: string }

/** The newcomer as the service reads one; nobody when nothing is said. */
export function describe(x: Newcomer): string | undefined {
  if (!x.unit && !x.title && !x.employment) return undefined
  return JSON.stringify({ unit: x.unit ?? '', title: x.title ?? '', employment_type: x.employment ?? '' })
}

const fields = [
  { name: 'unit', label: t`Unit`, hint: 'marine/pilotage' },
  { name: 'title', label: t`Title`, hint: t`Harbour pilot` },
  { name: 'employment', label: t`Employment`, hint: t`contractor` },
] as const

/** Describes somebody who is not there yet, to see what they would have. */
export function NewcomerForm({ now, set }: { now: Newcomer; set: (x: Newcomer) => void }) {
  const [x, setX] = useState({ unit: now.unit ?? '', title: now.title ?? '', employment: now.employment ?? '' })
  return (
    <form
      className="mt-2 flex flex-wrap items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault()
        set({ unit: x.unit || undefined, title: x.title || undefined, employment: x.employment || undefined })
      }}
    >
      {fields.map((f) => (
        <label key={f.name}>
          {f.label}
          <input className="field" placeholder={f.hint} value={x[f.name]} onChange={(e) => setX({ ...x, [f.name]: e.target.value })} />
        </label>
      ))}
      <button type="submit" className="button-quiet">
        <Trans>Show</Trans>
      </button>
      {describe(now) && (
        <button type="button" className="press pb-2" onClick={() => set({ unit: undefined, title: undefined, employment: undefined })}>
          <Trans>Without</Trans>
        </button>
      )}
    </form>
  )
}
