import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { list } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { chosen } from '../shared/chosen'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

/** A declared attribute, and whose it is. */
type Declared = Schemas['Attribute'] & { of: 'users' | 'units' }

const types = { text: t`text`, number: t`number`, date: t`date`, truth: t`true or false` } as const

/** The attributes of users that the organisation declared. */
export function AttributesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const all = useQuery(ask('/api/v1/attributes', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what={t`the attributes`} />
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
        more={writes && <AddPanel label={t`Declare an attribute`}>{(done) => <Declare revision={revision} done={done} />}</AddPanel>}
      >
        <Trans>Attributes</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Additional attributes of users and of units in this organisation. A fact is kept for ever and can be used in filters that give
          access. A personal attribute can be erased and never gives access.
        </Trans>
      </p>
      {attributes.length === 0 && (
        <Empty>
          <Trans>No attribute is declared yet. Examples: cost centre, licence, badge number.</Trans>
        </Empty>
      )}
      {attributes.length > 0 && (
        <ListTable
          what={t`attribute`}
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
                      what={t`attribute`}
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
    a.required && (a.of === 'units' ? t`required of every unit` : t`required of every person`),
    a.identifies && t`no two people share a value`,
    a.case_exact && t`with case`,
    a.pattern && t`matches ${a.pattern}`,
    a.allowed && a.allowed.length > 0 && t`one of ${list(a.allowed)}`,
    a.fill && t`filled in ${a.fill.words}`,
  ].filter(Boolean)

const columnsOf = (revision: number, writes: boolean): ListColumn<Declared>[] => [
  {
    key: 'attribute',
    label: t`Attribute`,
    value: (a) => `${a.label} ${a.key}`,
    show: (a) => (
      <span className={a.retired ? 'text-soft' : ''}>
        {a.label} <span className="text-soft font-mono text-sm">{a.key}</span>
        {a.description && <span className="text-soft block text-sm">{a.description}</span>}
      </span>
    ),
  },
  { key: 'of', label: t`Of`, value: (a) => a.of, choose: true },
  { key: 'type', label: t`Type`, value: (a) => types[a.type], choose: true },
  { key: 'kept', label: t`Kept as`, value: (a) => (a.personal ? t`personal` : t`fact`), choose: true },
  { key: 'rule', label: t`Rule`, value: (a) => rulesOf(a).join('; '), show: (a) => <Rules attribute={a} /> },
  {
    key: 'users',
    label: t`With it`,
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
                <Trans>{plural(a.lacking, { one: '# person', other: '# people' })} without</Trans>
              </Link>
            </span>
          )}
        </>
      ),
  },
  { key: 'state', label: t`State`, value: (a) => (a.retired ? t`retired` : t`in use`), choose: true },
  {
    key: 'edit',
    label: t`Edit`,
    value: () => '',
    show: (a) =>
      writes &&
      !a.retired && (
        <AddPanel press label={t`Edit ${a.label}`} name={`edit-${a.key}`}>
          {(done) => <Edit attribute={a} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
]

function Rules({ attribute: a }: { attribute: Declared }) {
  return (
    <>
      {rulesOf(a).join('; ') || (
        <span className="text-soft">
          <Trans>any</Trans>
        </span>
      )}
      {a.fill?.units && (
        <details className="text-sm">
          <summary className="press">
            <Trans>The table</Trans>
          </summary>
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
      aria-label={t`Edit ${a.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Edit`,
            what: t`the attribute ${a.label}`,
            detail: names.join(', '),
            operations: [{ op: 'update_attribute', attribute: a.key, ...changed }],
          },
          revision,
        )
        setX(now)
        done()
      }}
    >
      <p className="text-soft sm:col-span-2">
        <Trans>Its key, its type and whether it is personal stay as they were declared.</Trans>
      </p>
      <label>
        <Trans>Name of the attribute</Trans>
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>What it is for</Trans>
        <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      {a.type === 'text' && !a.fill && (
        <>
          <label>
            <Trans>
              Pattern <span className="text-soft text-sm">a regular expression that the whole value must match</span>
            </Trans>
            <input className="field font-mono" value={x.pattern} onChange={(e) => setX({ ...x, pattern: e.target.value })} />
          </label>
          <label>
            <Trans>
              Allowed values <span className="text-soft text-sm">one per line; none: any value</span>
            </Trans>
            <textarea className="field h-20" value={x.allowed} onChange={(e) => setX({ ...x, allowed: e.target.value })} />
          </label>
        </>
      )}
      {!a.fill && (
        <label className="flex gap-2 sm:col-span-2">
          <input type="checkbox" checked={x.required} onChange={(e) => setX({ ...x, required: e.target.checked })} />
          <Trans>
            {' '}
            Required of every
            {a.of === 'units' ? t` unit` : t` person`} added
          </Trans>
        </label>
      )}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={names.length === 0 || !x.label.trim()}>
        <Trans>Add to change sheet</Trans>
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
        verb: t`Declare`,
        what: t`the attribute ${x.label.trim()}`,
        detail: `${types[x.type as keyof typeof types]}, ${x.units ? t`of units` : x.personal ? t`personal` : t`fact`}`,
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
      aria-label={t`Declare an attribute`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        put()
        done()
      }}
    >
      <p className="text-soft">
        <Trans>
          The key, the type and whether it is personal cannot be changed later{key && t`; filters and files use the key ${key}`}.
        </Trans>
      </p>
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        {text('label', t`Name of the attribute`)}
        {text('description', t`What it is for`)}
        <label>
          <Trans>Whose it is</Trans>
          <select
            className="field"
            value={x.units ? 'units' : 'users'}
            onChange={(e) => setX({ ...x, units: e.target.value === 'units', ...(e.target.value === 'units' && { from: '' }) })}
          >
            <option value="users">
              <Trans>of users</Trans>
            </option>
            <option value="units">
              <Trans>of units</Trans>
            </option>
          </select>
        </label>
        <label>
          <Trans>Type</Trans>
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
            <Trans>Filled in</Trans>
            <select className="field" value={x.from} onChange={(e) => setX({ ...x, from: e.target.value })}>
              <option value="">
                <Trans>by people and files</Trans>
              </option>
              <option value="unit">
                <Trans>by itself, from the unit</Trans>
              </option>
              {x.type === 'date' && (
                <option value="start_date">
                  <Trans>by itself, from the first day</Trans>
                </option>
              )}
              {x.type === 'date' && (
                <option value="end_date">
                  <Trans>by itself, from the last day</Trans>
                </option>
              )}
            </select>
          </label>
        )}
        {x.from === 'unit' && (
          <label className="sm:col-span-2">
            <Trans>
              Value of each unit{' '}
              <span className="text-soft text-sm">one per line, such as marine/pilotage = 4110; units below are included</span>
            </Trans>
            <textarea className="field h-28 font-mono text-sm" value={x.table} onChange={(e) => setX({ ...x, table: e.target.value })} />
          </label>
        )}
        {(x.from === 'start_date' || x.from === 'end_date') && text('months', t`Months later`, t`a negative number means earlier`)}
        {x.type === 'text' && x.from === '' && text('pattern', t`Pattern`, t`a regular expression that the whole value must match`)}
        {x.type === 'text' && x.from === '' && (
          <label>
            <Trans>
              Allowed values <span className="text-soft text-sm">one per line; none: any value</span>
            </Trans>
            <textarea className="field h-20" value={x.allowed} onChange={(e) => setX({ ...x, allowed: e.target.value })} />
          </label>
        )}
        <div className="sm:col-span-2 flex flex-wrap gap-x-6 gap-y-2">
          {!x.units && box('personal', t`Personal`)}
          {x.from === '' && box('required', x.units ? t`Required of every unit added` : t`Required of every person added`)}
          {!x.units && x.from === '' && box('identifies', t`No two people share a value`)}
          {!x.units && x.type === 'text' && box('exact', t`Compared with case`)}
        </div>
      </div>
      <button type="submit" className="button mt-3" disabled={key === ''}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
