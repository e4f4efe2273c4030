import { useId, type InputHTMLAttributes } from 'react'
import { useValues } from './choices'

/** A text of an attribute: those that users have are offered, and a new one is said to be new. */
export function ValueBox({
  attribute,
  value,
  set,
  ...input
}: { attribute: string; value: string; set: (v: string) => void } & Omit<InputHTMLAttributes<HTMLInputElement>, 'value' | 'onChange'>) {
  const id = useId()
  const values = useValues(attribute)
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
          New: nobody has it yet.
        </span>
      )}
    </>
  )
}
