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
          {!units?.described ? 'New: nobody has it yet.' : added ? 'A new unit: it is on the change sheet.' : 'There is no such unit. '}
          {units?.described && !added && (
            <button
              type="button"
              className="press"
              onClick={() =>
                sheet.add({ verb: 'Add', what: `the unit ${wanted}`, operations: [{ op: 'add_unit', path: wanted }] }, units.revision)
              }
            >
              Add it as a new one
            </button>
          )}
        </span>
      )}
    </>
  )
}
