import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, list } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { chosen } from '../shared/chosen'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

/** A declared attribute, and whose it is. */
type Declared = Schemas['Attribute'] & { of: 'users' | 'units' }

const types = { text: 'text', number: 'number', date: 'date', truth: 'true or false' } as const

/** The attributes of users that the organisation declared. */
export function AttributesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const all = useQuery(ask('/api/v1/attributes', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what="the attributes" />
  const { revision } = all.data
  const attributes: Declared[] = [
    ...all.data.attributes.map((a) => ({ ...a, of: 'users' as const })),
    ...all.data.unit_attributes.map((a) => ({ ...a, of: 'units' as const })),
  ]
  const writes = !past && !!me.may['settings.update']
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
        Additional attributes of users and of units in this organisation. A fact is kept for ever and can be used in filters that give
        access. A personal attribute can be erased and never gives access.
      </p>
      {attributes.length === 0 && <Empty>No attribute is declared yet. Examples: cost centre, licence, badge number.</Empty>}
      {attributes.length > 0 && (
        <ListTable
          what="attribute"
          rows={attributes}
          columns={columnsOf(revision, writes)}
          id={(a) => a.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((a) => !a.retired)
                  return (
                    <EndPicked
                      verb="Retire"
                      what="attribute"
                      standing={standing}
                      operations={standing.map((a) => ({ op: 'retire_attribute', attribute: a.key }))}
                      revision={revision}
                      clear={clear}
                    />
                  )
                }
              : undefined
          }
        />
      )}
    </>
  )
}

/** What holds of the values of an attribute, in a few words each. */
const rulesOf = (a: Declared) =>
  [
    a.required && (a.of === 'units' ? 'required of every unit' : 'required of every person'),
    a.identifies && 'no two people share a value',
    a.case_exact && 'with case',
    a.pattern && `matches ${a.pattern}`,
    a.allowed && a.allowed.length > 0 && `one of ${list(a.allowed)}`,
    a.fill && `filled in ${a.fill.words}`,
  ].filter(Boolean)

const columnsOf = (revision: number, writes: boolean): ListColumn<Declared>[] => [
  {
    key: 'attribute',
    label: 'Attribute',
    value: (a) => `${a.label} ${a.key}`,
    show: (a) => (
      <span className={a.retired ? 'text-soft' : ''}>
        {a.label} <span className="text-soft font-mono text-sm">{a.key}</span>
        {a.description && <span className="text-soft block text-sm">{a.description}</span>}
      </span>
    ),
  },
  { key: 'of', label: 'Of', value: (a) => a.of, choose: true },
  { key: 'type', label: 'Type', value: (a) => types[a.type], choose: true },
  { key: 'kept', label: 'Kept as', value: (a) => (a.personal ? 'personal' : 'fact'), choose: true },
  { key: 'rule', label: 'Rule', value: (a) => rulesOf(a).join('; '), show: (a) => <Rules attribute={a} /> },
  {
    key: 'users',
    label: 'With it',
    value: (a) => a.having,
    right: true,
    show: (a) =>
      a.of === 'units' ? (
        <Link to="/units" className="press">
          {a.having}
        </Link>
      ) : (
        <>
          <Link to="/users" search={{ filter: `${a.key} pr`, columns: `name,unit,title,${a.key}` }} className="press">
            {a.having}
          </Link>
          {a.required && a.lacking > 0 && (
            <span className="text-brass block text-sm">
              <Link to="/users" search={{ filter: `kind eq "person" and status ne "departed" and not (${a.key} pr)` }} className="press">
                {count(a.lacking, 'person', 'people')} without
              </Link>
            </span>
          )}
        </>
      ),
  },
  { key: 'state', label: 'State', value: (a) => (a.retired ? 'retired' : 'in use'), choose: true },
  {
    key: 'edit',
    label: 'Edit',
    value: () => '',
    show: (a) =>
      writes &&
      !a.retired && (
        <AddPanel press label={`Edit ${a.label}`} name={`edit-${a.key}`}>
          {(done) => <Edit attribute={a} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
]

function Rules({ attribute: a }: { attribute: Declared }) {
  return (
    <>
      {rulesOf(a).join('; ') || <span className="text-soft">any</span>}
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
    </>
  )
}

/** What can be changed of an attribute that is declared. */
function Edit({ attribute: a, revision, done }: { attribute: Declared; revision: number; done: () => void }) {
  const sheet = useSheet()
  const now = {
    label: a.label,
    description: a.description ?? '',
    pattern: a.pattern ?? '',
    allowed: (a.allowed ?? []).join('\n'),
    required: !!a.required,
  }
  const [x, setX] = useTyped(`Edit ${a.key}`, now)
  const changed: Omit<Extract<Operation, { op: 'update_attribute' }>, 'op' | 'attribute'> = {}
  for (const k of ['label', 'description', 'pattern'] as const) if (x[k].trim() !== now[k]) changed[k] = x[k].trim()
  if (x.required !== now.required) changed.required = x.required
  if (x.allowed !== now.allowed) changed.allowed = lines(x.allowed)
  const names = Object.keys(changed)
  return (
    <form
      aria-label={`Edit ${a.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: 'Edit',
            what: `the attribute ${a.label}`,
            detail: names.join(', '),
            operations: [{ op: 'update_attribute', attribute: a.key, ...changed }],
          },
          revision,
        )
        setX(now)
        done()
      }}
    >
      <p className="text-soft sm:col-span-2">Its key, its type and whether it is personal stay as they were declared.</p>
      <label>
        Name of the attribute
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        What it is for
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      {a.type === 'text' && !a.fill && (
        <>
          <label>
            Pattern <span className="text-soft text-sm">a regular expression that the whole value must match</span>
            <input className="field font-mono" value={x.pattern} onChange={(e) => setX({ ...x, pattern: e.target.value })} />
          </label>
          <label>
            Allowed values <span className="text-soft text-sm">one per line; none: any value</span>
            <textarea className="field h-20" value={x.allowed} onChange={(e) => setX({ ...x, allowed: e.target.value })} />
          </label>
        </>
      )}
      {!a.fill && (
        <label className="flex gap-2 sm:col-span-2">
          <input type="checkbox" checked={x.required} onChange={(e) => setX({ ...x, required: e.target.checked })} /> Required of every
          {a.of === 'units' ? ' unit' : ' person'} added
        </label>
      )}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={names.length === 0 || !x.label.trim()}>
        Add to change sheet
      </button>
    </form>
  )
}

const lines = (s: string) =>
  s
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)

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
  units: false,
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
  const put = () => {
    const units = lines(x.table).map((l) => {
      const [unit, ...value] = l.split(/[=:\t]/)
      return { unit: unit!.trim(), value: value.join('=').trim() }
    })
    const date = chosen(['start_date', 'end_date'], x.from)
    const fill = x.from === 'unit' ? ({ from: 'unit', units } as const) : date && { from: date, months: Number(x.months) }
    const allowed = lines(x.allowed)
    const operation: Operation = x.units
      ? {
          op: 'declare_attribute',
          key,
          label: x.label.trim(),
          description: x.description.trim() || undefined,
          type: chosen(['text', 'number', 'date', 'truth'], x.type),
          required: x.required,
          ...(x.type === 'text' ? { pattern: x.pattern.trim() || undefined, allowed: allowed.length > 0 ? allowed : undefined } : {}),
          of_units: true,
        }
      : {
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
        detail: `${types[x.type as keyof typeof types]}, ${x.units ? 'of units' : x.personal ? 'personal' : 'fact'}`,
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
          Whose it is
          <select
            className="field"
            value={x.units ? 'units' : 'users'}
            onChange={(e) => setX({ ...x, units: e.target.value === 'units', ...(e.target.value === 'units' && { from: '' }) })}
          >
            <option value="users">of users</option>
            <option value="units">of units</option>
          </select>
        </label>
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
        {!x.units && (
          <label>
            Filled in
            <select className="field" value={x.from} onChange={(e) => setX({ ...x, from: e.target.value })}>
              <option value="">by people and files</option>
              <option value="unit">by itself, from the unit</option>
              {x.type === 'date' && <option value="start_date">by itself, from the first day</option>}
              {x.type === 'date' && <option value="end_date">by itself, from the last day</option>}
            </select>
          </label>
        )}
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
          {!x.units && box('personal', 'Personal')}
          {x.from === '' && box('required', x.units ? 'Required of every unit added' : 'Required of every person added')}
          {!x.units && x.from === '' && box('identifies', 'No two people share a value')}
          {!x.units && x.type === 'text' && box('exact', 'Compared with case')}
        </div>
      </div>
      <button type="submit" className="button mt-3" disabled={key === ''}>
        Add to change sheet
      </button>
    </form>
  )
}
