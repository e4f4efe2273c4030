import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, list } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { chosen } from '../shared/chosen'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

const types = { text: 'text', number: 'number', date: 'date', truth: 'true or false' } as const

/** The attributes of users that the organisation declared. */
export function AttributesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const all = useQuery(ask('/api/v1/attributes', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what="the attributes" />
  const { attributes, revision } = all.data
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title
        list="attributes"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label="Declare an attribute">{(done) => <Declare revision={revision} done={done} />}</AddPanel>}
      >
        Attributes
      </Title>
      <p className="text-soft mt-1 max-w-180">
        Additional attributes of users in this organisation. A fact is kept for ever and can be used in filters that give access. A personal
        attribute can be erased and never gives access.
      </p>
      {attributes.length === 0 && <Empty>No attribute is declared yet. Examples: cost centre, licence, badge number.</Empty>}
      {attributes.length > 0 && (
        <table className="register mt-3">
          <thead>
            <tr>
              <th>Attribute</th>
              <th>Type</th>
              <th>Rule</th>
              <th>Given</th>
              {writes && (
                <th>
                  <span className="sr-only">Do</span>
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {attributes.map((a) => (
              <One key={a.id} attribute={a} revision={revision} writes={writes} />
            ))}
          </tbody>
        </table>
      )}
    </>
  )
}

function One({ attribute: a, revision, writes }: { attribute: Schemas['Attribute']; revision: number; writes?: boolean }) {
  const sheet = useSheet()
  const rules = [
    a.required && 'required of every person',
    a.identifies && 'no two people share a value',
    a.case_exact && 'with case',
    a.pattern && `matches ${a.pattern}`,
    a.allowed && a.allowed.length > 0 && `one of ${list(a.allowed)}`,
    a.fill && `filled in ${a.fill.words}`,
  ].filter(Boolean)
  return (
    <tr className={a.retired ? 'text-soft' : ''}>
      <td className="w-72">
        {a.label} <span className="text-soft font-mono text-sm">{a.key}</span>
        {a.description && <div className="text-soft text-sm">{a.description}</div>}
      </td>
      <td className="w-44">
        {types[a.type]}
        <div className="text-soft text-sm">{a.personal ? 'personal' : 'fact'}</div>
      </td>
      <td>
        {rules.join('; ') || <span className="text-soft">any</span>}
        {a.fill?.units && (
          <details className="text-sm">
            <summary className="press">The table</summary>
            <ul>
              {a.fill.units.map((u) => (
                <li key={u.unit}>
                  <span className="font-mono">{u.unit}</span>: {u.value}
                </li>
              ))}
            </ul>
          </details>
        )}
      </td>
      <td className="w-52">
        <Link to="/users" search={{ filter: `${a.key} pr`, columns: `name,unit,title,${a.key}` }} className="press">
          {count(a.having, 'user')}
        </Link>
        {a.required && a.lacking > 0 && (
          <div className="text-brass text-sm">
            <Link to="/users" search={{ filter: `kind eq "person" and status ne "departed" and not (${a.key} pr)` }} className="press">
              {count(a.lacking, 'person', 'people')} without
            </Link>
          </div>
        )}
      </td>
      {writes && (
        <td className="text-right whitespace-nowrap">
          {a.retired ? (
            'retired'
          ) : (
            <>
              {!a.fill && (
                <button
                  type="button"
                  className="press"
                  onClick={() =>
                    sheet.add(
                      {
                        verb: a.required ? 'No longer require' : 'Require',
                        what: a.label,
                        operations: [{ op: 'update_attribute', attribute: a.key, required: !a.required }],
                      },
                      revision,
                    )
                  }
                >
                  {a.required ? 'Require no longer' : 'Require'}
                </button>
              )}
              <button
                type="button"
                className="press ml-4"
                aria-label={`Retire ${a.label}`}
                onClick={() =>
                  sheet.add(
                    {
                      verb: 'Retire',
                      what: `the attribute ${a.label}`,
                      operations: [{ op: 'retire_attribute', attribute: a.key }],
                    },
                    revision,
                  )
                }
              >
                Retire
              </button>
            </>
          )}
        </td>
      )}
    </tr>
  )
}

const blank = {
  label: '',
  description: '',
  type: 'text',
  personal: false,
  required: false,
  identifies: false,
  exact: false,
  pattern: '',
  allowed: '',
  from: '',
  table: '',
  months: '0',
}

const keyOfAttribute = (label: string) =>
  label
    .normalize('NFD')
    .toLowerCase()
    .replace(/\p{M}/gu, '')
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '')

function Declare({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const [x, setX] = useTyped('Declare x', blank)
  const key = keyOfAttribute(x.label)
  const lines = (s: string) =>
    s
      .split('\n')
      .map((l) => l.trim())
      .filter(Boolean)
  const put = () => {
    const units = lines(x.table).map((l) => {
      const [unit, ...value] = l.split(/[=:\t]/)
      return { unit: unit!.trim(), value: value.join('=').trim() }
    })
    const date = chosen(['start_date', 'end_date'], x.from)
    const fill = x.from === 'unit' ? ({ from: 'unit', units } as const) : date && { from: date, months: Number(x.months) }
    const allowed = lines(x.allowed)
    const operation: Operation = {
      op: 'declare_attribute',
      key,
      label: x.label.trim(),
      description: x.description.trim() || undefined,
      type: chosen(['text', 'number', 'date', 'truth'], x.type),
      personal: x.personal,
      required: x.required && !fill,
      identifies: x.identifies && !fill,
      ...(x.type === 'text'
        ? { case_exact: x.exact, pattern: x.pattern.trim() || undefined, allowed: allowed.length > 0 ? allowed : undefined }
        : {}),
      fill,
    }
    sheet.add(
      {
        verb: 'Declare',
        what: `the attribute ${x.label.trim()}`,
        detail: `${types[x.type as keyof typeof types]}, ${x.personal ? 'personal' : 'fact'}`,
        operations: [operation],
      },
      revision,
    )
    setX(blank)
  }
  const text = (name: 'label' | 'description' | 'pattern' | 'months', label: string, hint?: string) => (
    <label>
      {label} {hint && <span className="text-soft text-sm">{hint}</span>}
      <input className="field" value={x[name]} onChange={(e) => setX({ ...x, [name]: e.target.value })} />
    </label>
  )
  const box = (name: 'personal' | 'required' | 'identifies' | 'exact', label: string) => (
    <label className="flex gap-2">
      <input type="checkbox" checked={x[name]} onChange={(e) => setX({ ...x, [name]: e.target.checked })} /> {label}
    </label>
  )
  return (
    <form
      aria-label="Declare an attribute"
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        put()
        done()
      }}
    >
      <p className="text-soft">
        The key, the type and whether it is personal cannot be changed later{key && `; filters and files use the key ${key}`}.
      </p>
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        {text('label', 'Name of the attribute')}
        {text('description', 'What it is for')}
        <label>
          Type
          <select className="field" value={x.type} onChange={(e) => setX({ ...x, type: e.target.value })}>
            {Object.entries(types).map(([k, words]) => (
              <option key={k} value={k}>
                {words}
              </option>
            ))}
          </select>
        </label>
        <label>
          Filled in
          <select className="field" value={x.from} onChange={(e) => setX({ ...x, from: e.target.value })}>
            <option value="">by people and files</option>
            <option value="unit">by itself, from the unit</option>
            {x.type === 'date' && <option value="start_date">by itself, from the first day</option>}
            {x.type === 'date' && <option value="end_date">by itself, from the last day</option>}
          </select>
        </label>
        {x.from === 'unit' && (
          <label className="sm:col-span-2">
            Value of each unit{' '}
            <span className="text-soft text-sm">one per line, such as marine/pilotage = 4110; units below are included</span>
            <textarea className="field h-28 font-mono text-sm" value={x.table} onChange={(e) => setX({ ...x, table: e.target.value })} />
          </label>
        )}
        {(x.from === 'start_date' || x.from === 'end_date') && text('months', 'Months later', 'a negative number means earlier')}
        {x.type === 'text' && x.from === '' && text('pattern', 'Pattern', 'a regular expression that the whole value must match')}
        {x.type === 'text' && x.from === '' && (
          <label>
            Allowed values <span className="text-soft text-sm">one per line; none: any value</span>
            <textarea className="field h-20" value={x.allowed} onChange={(e) => setX({ ...x, allowed: e.target.value })} />
          </label>
        )}
        <div className="sm:col-span-2 flex flex-wrap gap-x-6 gap-y-2">
          {box('personal', 'Personal')}
          {x.from === '' && box('required', 'Required of every person added')}
          {x.from === '' && box('identifies', 'No two people share a value')}
          {x.type === 'text' && box('exact', 'Compared with case')}
        </div>
      </div>
      <button type="submit" className="button mt-3" disabled={key === ''}>
        Add to change sheet
      </button>
    </form>
  )
}
