import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useId, type InputHTMLAttributes } from 'react'
import { useSheet } from '../../shell/sheet'
import { useUnitList, useValues } from './choices'

/** A text of an attribute: those that users have are offered, and a new one is said to be new. */
export function ValueBox({
  attribute,
  value,
  set,
  ...input
}: { attribute: string; value: string; set: (v: string) => void } & Omit<InputHTMLAttributes<HTMLInputElement>, 'value' | 'onChange'>) {
  const id = useId()
  const values = useValues(attribute)
  const units = useUnitList(attribute === 'unit')
  const sheet = useSheet()
  const wanted = value.trim()
  const added = sheet.lines.some((l) => l.operations.some((o) => o.op === 'add_unit' && o.path === wanted))
  const fresh = value.trim() !== '' && values !== undefined && !values.some((v) => v.value === value.trim())
  return (
    <>
      <input
        {...input}
        className={`field ${input.className ?? ''}`}
        list={`${id} values`}
        aria-describedby={fresh ? `${id} new` : undefined}
        autoComplete="off"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
      <datalist id={`${id} values`}>
        {values?.map((v) => (
          <option key={v.value} value={v.value} />
        ))}
      </datalist>
      {fresh && (
        <span id={`${id} new`} className="text-brass text-sm">
          {!units?.described ? t`New: nobody has it yet.` : added ? t`A new unit: it is on the change sheet.` : t`There is no such unit. `}
          {units?.described && !added && (
            <button
              type="button"
              className="press"
              onClick={() =>
                sheet.add({ verb: t`Add`, what: t`the unit ${wanted}`, operations: [{ op: 'add_unit', path: wanted }] }, units.revision)
              }
            >
              <Trans>Add it as a new one</Trans>
            </button>
          )}
        </span>
      )}
    </>
  )
}
