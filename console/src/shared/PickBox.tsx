import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { useState } from 'react'
import { tabLeadsOn } from './enter'

export type Choice = { key: string; label: string; hint?: string }

/** A box to pick one of many by typing part of its name. */
export function PickBox({
  label,
  choices,
  value,
  onChange,
}: {
  label: string
  choices: Choice[]
  value: Choice | null
  onChange: (c: Choice | null) => void
}) {
  const [text, setText] = useState('')
  const wanted = text.trim().toLowerCase()
  const shown = choices.filter((c) => `${c.label} ${c.key}`.toLowerCase().includes(wanted)).slice(0, 60)
  return (
    <Combobox as="div" {...tabLeadsOn} value={value} onChange={onChange} onClose={() => setText('')} immediate>
      <ComboboxInput
        aria-label={label}
        className="field"
        placeholder={label}
        displayValue={(c: Choice | null) => c?.label ?? ''}
        onChange={(e) => setText(e.target.value)}
        autoComplete="off"
      />
      <ComboboxOptions
        modal={false}
        anchor={{ to: 'bottom start', gap: 4 }}
        className="border-rule bg-sheet z-30 max-h-72 w-(--input-width) min-w-72 overflow-auto rounded-md border py-1 empty:invisible"
      >
        {shown.map((c) => (
          <ComboboxOption key={c.key} value={c} className="data-focus:bg-open cursor-pointer px-3 py-1.5">
            <div>
              {c.label} <span className="text-soft font-mono text-sm">{c.key}</span>
            </div>
            {c.hint && <div className="text-soft text-sm">{c.hint}</div>}
          </ComboboxOption>
        ))}
      </ComboboxOptions>
    </Combobox>
  )
}
