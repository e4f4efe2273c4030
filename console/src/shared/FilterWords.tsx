import { t } from '@lingui/core/macro'
import { useState } from 'react'

/** A filter over users in plain words; the filter itself is shown on press. first begins a sentence with it. */
export function FilterWords({ words, filter, first }: { words?: string; filter: string; first?: boolean }) {
  const [open, setOpen] = useState(false)
  const text = words ?? t`users who match a filter`
  return (
    <>
      <button
        type="button"
        className="min-h-6 text-left underline decoration-dotted underline-offset-3"
        aria-expanded={open}
        onClick={() => setOpen(!open)}
      >
        {first ? text.charAt(0).toUpperCase() + text.slice(1) : text}
      </button>
      {open && <span className="text-soft font-mono text-sm"> {filter}</span>}
    </>
  )
}
