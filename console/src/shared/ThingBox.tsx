import { t } from '@lingui/core/macro'
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { ask } from '../api/ask'
import { tabLeadsOn } from './enter'

export type Thing = { kind: string; key: string; label: string }

/** A box to pick a thing of some kinds by part of its name. */
export function ThingBox({
  label,
  kinds,
  value,
  onChange,
}: {
  label: string
  kinds: string[]
  value: Thing | null
  onChange: (thing: Thing | null) => void
}) {
  const [text, setText] = useState('')
  const found = useQuery({
    ...ask('/api/v1/search', { params: { query: { q: text.trim(), limit: 30 } } }),
    enabled: text.trim() !== '',
    placeholderData: keepPreviousData,
  })
  const hits = text.trim() === '' ? [] : (found.data?.hits ?? []).filter((h) => kinds.includes(h.kind))
  const things = hits.map((h) => ({ kind: h.kind, key: h.key ?? '', label: h.label, hint: h.hint }))
  return (
    <Combobox as="div" {...tabLeadsOn} by="key" value={value} onChange={onChange} onClose={() => setText('')}>
      <ComboboxInput
        aria-label={label}
        className="field"
        placeholder={t`Part of a name`}
        displayValue={(thing: Thing | null) => thing?.label ?? ''}
        onChange={(e) => {
          setText(e.target.value)
          if (e.target.value === '') onChange(null)
        }}
        autoComplete="off"
      />
      <ComboboxOptions
        modal={false}
        anchor={{ to: 'bottom start', gap: 4 }}
        className="border-rule bg-sheet z-30 max-h-72 w-(--input-width) min-w-72 overflow-auto rounded-md border py-1 empty:invisible"
      >
        {things.map((thing) => (
          <ComboboxOption key={thing.kind + thing.key} value={thing} className="data-focus:bg-open cursor-pointer px-3 py-1.5">
            {thing.label} <span className="text-soft text-sm">{thing.kind}</span>{' '}
            <span className="text-soft font-mono text-sm">{thing.key}</span>
          </ComboboxOption>
        ))}
      </ComboboxOptions>
    </Combobox>
  )
}
