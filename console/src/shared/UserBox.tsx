import { t } from '@lingui/core/macro'
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { ask } from '../api/ask'
import { tabLeadsOn } from './enter'

/** A box to pick a user by part of their name, out of however many there are. It
 * holds a user name; what was typed and is nobody stays as typed. */
export function UserBox({ label, value, onChange }: { label: string; value: string; onChange: (userName: string, name: string) => void }) {
  const [text, setText] = useState('')
  const [name, setName] = useState('')
  const users = useQuery({
    placeholderData: keepPreviousData,
    enabled: text.trim() !== '',
    ...ask('/api/v1/users', { params: { query: { q: text.trim(), status: 'active', limit: 20 } } }),
  })
  const shown = text.trim() === '' ? [] : (users.data?.users ?? [])
  return (
    <Combobox
      as="div"
      {...tabLeadsOn}
      value={value}
      onChange={(v: string | null) => {
        const u = shown.find((x) => x.user_name === v)
        setName(u?.display_name ?? '')
        onChange(v ?? '', u?.display_name ?? v ?? '')
      }}
      onClose={() => setText('')}
    >
      <ComboboxInput
        aria-label={label}
        className="field"
        placeholder={t`Part of a name`}
        displayValue={(v: string) => (v && name ? `${name} (${v})` : v)}
        onChange={(e) => {
          setText(e.target.value)
          if (e.target.value === '') onChange('', '')
        }}
        autoComplete="off"
      />
      <ComboboxOptions
        modal={false}
        anchor={{ to: 'bottom start', gap: 4 }}
        className="border-rule bg-sheet z-30 max-h-72 w-(--input-width) min-w-72 overflow-auto rounded-md border py-1 empty:invisible"
      >
        {shown.map((u) => (
          <ComboboxOption key={u.id} value={u.user_name} className="data-focus:bg-open cursor-pointer px-3 py-1.5">
            <div>
              {u.display_name} <span className="text-soft font-mono text-sm">{u.user_name}</span>
            </div>
            <div className="text-soft text-sm">{[u.title, u.unit].filter(Boolean).join(', ')}</div>
          </ComboboxOption>
        ))}
      </ComboboxOptions>
    </Combobox>
  )
}
