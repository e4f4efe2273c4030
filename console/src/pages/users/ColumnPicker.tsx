import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react'
import { usual, type Column } from './attributes'

/** Chooses what a list shows. */
export function ColumnPicker({ columns, shown, set }: { columns: Column[]; shown: string[]; set: (keys: string[] | undefined) => void }) {
  return (
    <Popover>
      <PopoverButton className="button-quiet whitespace-nowrap">
        <Trans>Columns</Trans>
      </PopoverButton>
      <PopoverPanel
        anchor={{ to: 'bottom end', gap: 4 }}
        className="border-rule bg-sheet z-30 max-h-96 w-64 overflow-auto rounded-md border p-3"
      >
        <ul aria-label={t`Columns`}>
          {columns.map((c) => (
            <li key={c.key}>
              <label className="flex gap-2">
                <input
                  type="checkbox"
                  checked={shown.includes(c.key)}
                  disabled={c.key === 'name'}
                  onChange={(e) => set(e.target.checked ? [...shown, c.key] : shown.filter((k) => k !== c.key))}
                />
                {c.label}
              </label>
            </li>
          ))}
        </ul>
        <button type="button" className="press mt-2" onClick={() => set(undefined)} disabled={shown.join() === usual.join()}>
          <Trans>The usual ones</Trans>
        </button>
      </PopoverPanel>
    </Popover>
  )
}
