import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count } from '../shared/words'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Type = Schemas['EmploymentType']

/** What holds of the users of a type, in a few words each. */
function holds(t: Type): string[] {
  const out: string[] = []
  if (t.external) out.push('work for another company: company, sponsor and last day are required')
  if (t.max_days) out.push(`last day at most ${count(t.max_days, 'day')} ahead; the sponsor extends it`)
  if (t.closed) out.push(`access is closed, and opened for ${count(t.max_hours ?? 0, 'hour')} at most`)
  return out
}

const columnsOf = (revision: number, writes: boolean): ListColumn<Type>[] => [
  {
    key: 'type',
    label: 'Employment type',
    value: (t) => t.label,
    show: (t) => (
      <>
        <strong className={t.ended ? 'text-soft' : ''}>{t.label}</strong> <span className="text-soft font-mono text-sm">{t.key}</span>
      </>
    ),
  },
  {
    key: 'holds',
    label: 'What holds of its users',
    value: (t) => holds(t).join('; '),
    show: (t) => (
      <ul>
        {holds(t).map((w) => (
          <li key={w}>{w}</li>
        ))}
      </ul>
    ),
  },
  {
    key: 'users',
    label: 'Users',
    value: (t) => t.user_count,
    right: true,
    show: (t) => (
      <Link to="/users" search={{ filter: `employment_type eq "${t.key}"` }} className="press">
        {t.user_count}
      </Link>
    ),
  },
  { key: 'state', label: 'State', value: (t) => (t.ended ? 'ended' : 'in use'), choose: true },
  {
    key: 'edit',
    label: 'Edit',
    value: () => '',
    show: (t) =>
      writes &&
      !t.ended && (
        <AddPanel press label={`Edit ${t.label}`} name={`edit-${t.key}`}>
          {(done) => <Describe type={t} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
]

/** Employment types: who works for another company, and whose access is closed. */
export function EmploymentTypesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const types = useQuery(ask('/api/v1/employment-types', { params: { query: { as_of: asOf } } }))
  if (types.error) return <Trouble page error={types.error} retry={() => void types.refetch()} />
  if (!types.data) return <Loading what="the employment types" />
  const revision = types.data.revision
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="employment-types"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label="Describe a type">{(done) => <Describe revision={revision} done={done} />}</AddPanel>}
      >
        Employment types
      </Title>
      <p className="text-soft mt-1 max-w-180">
        {types.data.types.length > 0
          ? 'A user has one of these, or none. A type that is not here is refused.'
          : 'Until one is described, the employment types of users are free texts.'}
      </p>
      {types.data.types.length === 0 && <Empty>No employment type is described yet.</Empty>}
      {types.data.types.length > 0 && (
        <ListTable
          what="employment type"
          rows={types.data.types}
          columns={columnsOf(revision, writes)}
          id={(t) => t.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((t) => !t.ended)
                  return (
                    <EndPicked
                      what="employment type"
                      standing={standing}
                      operations={standing.map((t) => ({ op: 'end_employment_type', employment_type: t.key }))}
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

function Describe({ type: t, revision, done }: { type?: Type; revision: number; done: () => void }) {
  const sheet = useSheet()
  const start = {
    key: t?.key ?? '',
    label: t?.label ?? '',
    external: t?.external ?? false,
    days: String(t?.max_days ?? 0),
    closed: t?.closed ?? false,
    hours: String(t?.max_hours ?? 8),
  }
  const [x, setX] = useTyped(`Describe ${t?.key ?? 'type'}`, start)
  return (
    <form
      aria-label={t ? `Edit ${t.label}` : 'Describe a type'}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_employment_type',
          key: x.key.trim(),
          label: x.label.trim() || x.key.trim(),
          external: x.external,
          max_days: Number(x.days),
          closed: x.closed,
          ...(x.closed && { max_hours: Number(x.hours) }),
        }
        sheet.add({ verb: 'Describe', what: `the employment type ${operation.label}`, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      <label>
        As users have it
        <input className="field" disabled={!!t} value={x.key} onChange={(e) => setX({ ...x, key: e.target.value })} />
      </label>
      <label>
        What people call it
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.external} onChange={(e) => setX({ ...x, external: e.target.checked })} />
        Its users work for another company: company, sponsor and last day are required
      </label>
      <label>
        Last day at most so many days ahead <span className="text-soft text-sm">0: any</span>
        <input type="number" min={0} className="field" value={x.days} onChange={(e) => setX({ ...x, days: e.target.value })} />
      </label>
      <span />
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.closed} onChange={(e) => setX({ ...x, closed: e.target.checked })} />
        Access is closed until somebody opens it for a time
      </label>
      {x.closed && (
        <label>
          Opened for so many hours at most
          <input type="number" min={1} className="field" value={x.hours} onChange={(e) => setX({ ...x, hours: e.target.value })} />
        </label>
      )}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!x.key.trim()}>
        Add to change sheet
      </button>
    </form>
  )
}
