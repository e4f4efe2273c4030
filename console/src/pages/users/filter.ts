import { t } from '@lingui/core/macro'
import type { Column } from './attributes'

/** One comparison of a filter, as people build it. */
export type Condition = { attribute: string; operator: string; value: string }

export type Built = { any: boolean; conditions: Condition[] }

type Operator = { key: string; label: string; bare?: boolean }

const text: Operator[] = [
  { key: 'eq', label: t`is` },
  { key: 'ne', label: t`is not` },
  { key: 'co', label: t`contains` },
  { key: 'sw', label: t`begins with` },
  { key: 'ew', label: t`ends with` },
]
const given: Operator[] = [
  { key: 'pr', label: t`is given`, bare: true },
  { key: 'not', label: t`is not given`, bare: true },
]
const choice: Operator[] = text.slice(0, 2)
const date: Operator[] = [
  { key: 'lt', label: t`is before` },
  { key: 'gt', label: t`is after` },
  { key: 'eq', label: t`is` },
  { key: 'le', label: t`is on or before` },
  { key: 'ge', label: t`is on or after` },
]
const number: Operator[] = [
  { key: 'eq', label: t`is` },
  { key: 'lt', label: t`is less than` },
  { key: 'gt', label: t`is more than` },
  { key: 'le', label: t`is at most` },
  { key: 'ge', label: t`is at least` },
]

/** The operators that go with an attribute, in plain words. */
export function operatorsOf(c: Column | undefined): Operator[] {
  if (c?.key === 'unit') return [{ key: 'within', label: t`is, or is below` }, ...text, ...given]
  if (c?.type === 'date') return [...date, ...given]
  if (c?.type === 'number') return [...number, ...given]
  if (c?.type === 'truth') return [{ key: 'eq', label: t`is` }, ...given]
  return [...(c?.oneOf ? choice : text), ...given]
}

const name = (key: string) => (key === 'name' ? 'display_name' : key)
const back = (key: string) => (key === 'display_name' ? 'name' : key)

/** Writes what was built as a filter (RFC 7644, section 3.4.2.2). */
export function write({ any, conditions }: Built, columns: Column[]): string {
  return conditions
    .filter((c) => c.value !== '' || c.operator === 'pr' || c.operator === 'not')
    .map((c) => {
      const type = columns.find((x) => x.key === c.attribute)?.type
      const value = type === 'number' || type === 'truth' ? c.value : JSON.stringify(c.value)
      if (c.operator === 'pr') return `${name(c.attribute)} pr`
      if (c.operator === 'not') return `not (${name(c.attribute)} pr)`
      if (c.operator === 'within') return `within eq ${value}`
      return `${name(c.attribute)} ${c.operator} ${value}`
    })
    .join(any ? ' or ' : ' and ')
}

const term =
  /^\s*(?:not\s*\(\s*([\w.]+)\s+pr\s*\)|([\w.]+)\s+pr|([\w.]+)\s+(eq|ne|co|sw|ew|gt|ge|lt|le)\s+("(?:[^"\\]|\\.)*"|true|false|-?\d+(?:\.\d+)?))\s*(?:(and|or)\s+|$)/i

/** Reads a filter as comparisons that all hold, or of which any does; null for
 * one that says more than that. */
export function read(filter: string): Built | null {
  const conditions: Condition[] = []
  let joined: string | undefined
  for (let rest = filter; rest.trim() !== '';) {
    const m = term.exec(rest)
    if (!m) return null
    const [all, absent, present, attribute, operator, value, join] = m
    rest = rest.slice(all.length)
    if (absent) conditions.push({ attribute: back(absent), operator: 'not', value: '' })
    else if (present) conditions.push({ attribute: back(present), operator: 'pr', value: '' })
    else {
      const plain = value!.startsWith('"') ? (JSON.parse(value!) as string) : value!
      if (attribute === 'within') {
        if (operator !== 'eq') return null
        conditions.push({ attribute: 'unit', operator: 'within', value: plain })
      } else conditions.push({ attribute: back(attribute!), operator: operator!.toLowerCase(), value: plain })
    }
    if (join) {
      if (rest.trim() === '' || (joined && joined !== join.toLowerCase())) return null
      joined = join.toLowerCase()
    } else if (rest.trim() !== '') return null
  }
  return { any: joined === 'or', conditions }
}
