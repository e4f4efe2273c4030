import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Operation } from '../api/client'
import kinds from '../../../wire/operations.json'
import { zoned, instantOf } from '../shared/words'
import { useMe } from './session'

type Field = { name: string; type: string; doc?: string; one_of?: string[] }
type Values = Record<string, unknown>

/** Opens an operation: each of its fields, to be mended. */
export function MendLine({ operations, save, cancel }: { operations: Operation[]; save: (o: Operation[]) => void; cancel: () => void }) {
  const [all, setAll] = useState<Values[]>(operations)
  const [wrong, setWrong] = useState<Record<string, boolean>>({})
  const bad = Object.values(wrong).some(Boolean)
  return (
    <form
      aria-label={t`Edit this line`}
      className="bg-wash mt-1 rounded-md p-2.5"
      onSubmit={(e) => {
        e.preventDefault()
        save(all as Operation[])
      }}
    >
      {all.map((o, i) => {
        const kind = kinds.find((k) => k.op === o.op)
        if (!kind) return null
        const set = (name: string, value: unknown) => {
          const next = { ...o, [name]: value }
          if (value === undefined) delete next[name]
          setAll(all.map((x, k) => (k === i ? next : x)))
        }
        return (
          <fieldset key={i} className="mb-2">
            <legend className="text-soft text-sm">{kind.help}</legend>
            {(kind.fields as Field[]).map((f) => (
              <One
                key={f.name}
                first={i === 0 && f === (kind.fields as Field[])[0]}
                field={f}
                value={o[f.name]}
                set={(v) => set(f.name, v)}
                fault={(is) => setWrong((was) => ({ ...was, [`${i} ${f.name}`]: is }))}
              />
            ))}
          </fieldset>
        )
      })}
      <div className="flex gap-2">
        <button type="submit" className="button-quiet" disabled={bad}>
          <Trans>Keep</Trans>
        </button>
        <button type="button" className="press text-sm" onClick={cancel}>
          <Trans>Leave it as it was</Trans>
        </button>
      </div>
    </form>
  )
}

const wordsOf = (name: string) => name.charAt(0).toUpperCase() + name.slice(1).replaceAll('_', ' ')

function One({
  field: f,
  value,
  set,
  fault,
  first,
}: {
  field: Field
  value: unknown
  set: (v: unknown) => void
  fault: (is: boolean) => void
  first: boolean
}) {
  const me = useMe()
  const label = wordsOf(f.name)
  const text = typeof value === 'string' ? value : ''
  if (f.type === 'truth')
    return (
      <label className="mt-1.5 flex gap-2" title={f.doc}>
        <input type="checkbox" autoFocus={first} checked={value === true} onChange={(e) => set(e.target.checked || undefined)} />
        {label}
      </label>
    )
  if (f.one_of && f.one_of.length > 0)
    return (
      <label className="mt-1.5 block" title={f.doc}>
        {label}
        <select className="field mt-0.5" autoFocus={first} value={text} onChange={(e) => set(e.target.value || undefined)}>
          <option value=""></option>
          {f.one_of.map((x) => (
            <option key={x}>{x}</option>
          ))}
        </select>
      </label>
    )
  if (f.type === 'instant') {
    const at = text ? zoned(text, me.time_zone) : undefined
    return (
      <label className="mt-1.5 block" title={f.doc}>
        {label}
        <input
          type="datetime-local"
          className="field mt-0.5"
          autoFocus={first}
          value={at ? `${at.day}T${at.time}` : ''}
          onChange={(e) => {
            const [day, time] = e.target.value.split('T')
            set(day && time ? instantOf(day, time, me.time_zone) : undefined)
          }}
        />
      </label>
    )
  }
  if (f.type === 'texts')
    return (
      <label className="mt-1.5 block" title={f.doc}>
        <Trans>{label}, one a line</Trans>
        <textarea
          rows={2}
          className="field mt-0.5"
          autoFocus={first}
          value={Array.isArray(value) ? value.join('\n') : ''}
          onChange={(e) => set(e.target.value ? e.target.value.split('\n') : undefined)}
        />
      </label>
    )
  if (f.type === 'object') return <AsJSON label={label} doc={f.doc} value={value} set={set} fault={fault} />
  return (
    <label className="mt-1.5 block" title={f.doc}>
      {label}
      <input
        type={f.type === 'number' ? 'number' : f.type === 'day' ? 'date' : 'text'}
        className="field mt-0.5"
        autoFocus={first}
        value={typeof value === 'number' ? String(value) : text}
        onChange={(e) => set(e.target.value === '' ? undefined : f.type === 'number' ? Number(e.target.value) : e.target.value)}
      />
    </label>
  )
}

/** What has parts of its own is written as JSON. */
function AsJSON({
  label,
  doc,
  value,
  set,
  fault,
}: {
  label: string
  doc?: string
  value: unknown
  set: (v: unknown) => void
  fault: (is: boolean) => void
}) {
  const [text, setText] = useState(value === undefined ? '' : JSON.stringify(value))
  const [bad, setBad] = useState(false)
  return (
    <label className="mt-1.5 block" title={doc}>
      <Trans>{label}, as JSON</Trans>
      <textarea
        rows={2}
        className="field mt-0.5 font-mono"
        aria-invalid={bad}
        value={text}
        onChange={(e) => {
          setText(e.target.value)
          let parsed: unknown
          let ok = true
          try {
            parsed = e.target.value.trim() === '' ? undefined : JSON.parse(e.target.value)
          } catch {
            ok = false
          }
          setBad(!ok)
          fault(!ok)
          if (ok) set(parsed)
        }}
      />
      {bad && (
        <span className="text-brick text-sm">
          <Trans>This is not JSON.</Trans>
        </span>
      )}
    </label>
  )
}
