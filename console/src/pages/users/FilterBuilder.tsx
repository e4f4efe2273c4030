import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { ValueBox } from './ValueBox'
import { useState } from 'react'
import type { Column } from './attributes'
import { operatorsOf, read, write, type Built, type Condition } from './filter'

/** Builds a filter for people who do not write filters. */
export function FilterBuilder({ filter, columns, set }: { filter: string; columns: Column[]; set: (filter: string) => void }) {
  const known = read(filter)
  const [built, setBuilt] = useState<Built>(() =>
    known && known.conditions.length > 0 ? known : { any: false, conditions: [{ attribute: 'unit', operator: 'within', value: '' }] },
  )
  if (!known)
    return (
      <p className="bg-wash mt-2 rounded-md p-2.5">
        <Trans>This filter cannot be built here. Edit it in the box, or clear the box to start again.</Trans>
      </p>
    )
  const change = (i: number, c: Condition) => setBuilt({ ...built, conditions: built.conditions.map((x, k) => (k === i ? c : x)) })
  const text = write(built, columns)
  return (
    <form
      aria-label={t`Build a filter`}
      className="bg-wash mt-2 rounded-md p-2.5"
      onSubmit={(e) => {
        e.preventDefault()
        set(text)
      }}
    >
      <fieldset>
        <legend className="float-left mr-3">
          <Trans>Users for whom</Trans>
        </legend>
        <label className="mr-4 inline-flex gap-1.5">
          <input type="radio" name="join" checked={!built.any} onChange={() => setBuilt({ ...built, any: false })} />
          <Trans> all conditions hold</Trans>
        </label>
        <label className="inline-flex gap-1.5">
          <input type="radio" name="join" checked={built.any} onChange={() => setBuilt({ ...built, any: true })} />
          <Trans> any condition holds</Trans>
        </label>
      </fieldset>
      <ul className="clear-both mt-1">
        {built.conditions.map((c, i) => (
          <Line
            key={i}
            at={i + 1}
            condition={c}
            columns={columns}
            change={(x) => change(i, x)}
            remove={() => setBuilt({ ...built, conditions: built.conditions.filter((_, k) => k !== i) })}
          />
        ))}
      </ul>
      <div className="mt-2 flex items-center gap-3">
        <button
          type="button"
          className="button-quiet"
          onClick={() => setBuilt({ ...built, conditions: [...built.conditions, { attribute: 'title', operator: 'co', value: '' }] })}
        >
          <Trans>Add a condition</Trans>
        </button>
        <button type="submit" className="button" disabled={text === '' && filter === ''}>
          <Trans>Show them</Trans>
        </button>
        <code className="text-soft truncate font-mono text-sm">{text}</code>
      </div>
    </form>
  )
}

function Line({
  at,
  condition: c,
  columns,
  change,
  remove,
}: {
  at: number
  condition: Condition
  columns: Column[]
  change: (c: Condition) => void
  remove: () => void
}) {
  const column = columns.find((x) => x.key === c.attribute)
  const operators = operatorsOf(column)
  const bare = operators.find((o) => o.key === c.operator)?.bare
  return (
    <li className="mt-1.5 flex items-center gap-2">
      <select
        className="field w-48"
        aria-label={t`Attribute of condition ${at}`}
        value={c.attribute}
        onChange={(e) => {
          const next = columns.find((x) => x.key === e.target.value)
          change({ attribute: e.target.value, operator: operatorsOf(next)[0]!.key, value: '' })
        }}
      >
        {columns.map((x) => (
          <option key={x.key} value={x.key}>
            {x.label}
          </option>
        ))}
      </select>
      <select
        className="field w-44"
        aria-label={t`How to compare in condition ${at}`}
        value={c.operator}
        onChange={(e) => change({ ...c, operator: e.target.value })}
      >
        {operators.map((o) => (
          <option key={o.key} value={o.key}>
            {o.label}
          </option>
        ))}
      </select>
      {!bare &&
        (column?.oneOf || column?.type === 'truth' ? (
          <select
            className="field w-56"
            aria-label={t`Value of condition ${at}`}
            value={c.value}
            onChange={(e) => change({ ...c, value: e.target.value })}
          >
            <option value="">
              <Trans>choose</Trans>
            </option>
            {(column.oneOf ?? ['true', 'false']).map((v) => (
              <option key={v} value={v}>
                {v}
              </option>
            ))}
          </select>
        ) : column?.values ? (
          <ValueBox
            className="w-56"
            attribute={column.values}
            aria-label={t`Value of condition ${at}`}
            value={c.value}
            set={(value) => change({ ...c, value })}
          />
        ) : (
          <input
            className="field w-56"
            aria-label={t`Value of condition ${at}`}
            type={column?.type === 'date' ? 'date' : column?.type === 'number' ? 'number' : 'text'}
            step="any"
            placeholder={c.attribute === 'unit' ? t`such as marine/pilotage` : undefined}
            value={c.value}
            onChange={(e) => change({ ...c, value: e.target.value })}
          />
        ))}
      <button type="button" className="press text-sm" aria-label={t`Remove condition ${at}`} onClick={remove}>
        <Trans>Remove</Trans>
      </button>
    </li>
  )
}
