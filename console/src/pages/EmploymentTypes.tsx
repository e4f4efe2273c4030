import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Type = Schemas['EmploymentType']

/** What holds of the users of a type, in a few words each. */
function holds(described: Type): string[] {
  const out: string[] = []
  if (described.external) out.push(t`work for another company: company, sponsor and last day are required`)
  if (described.max_days)
    out.push(t`last day at most ${plural(described.max_days, { one: '# day', other: '# days' })} ahead; the sponsor extends it`)
  if (described.closed)
    out.push(t`access is closed, and opened for ${plural(described.max_hours ?? 0, { one: '# hour', other: '# hours' })} at most`)
  return out
}

const columnsOf = (revision: number, writes: boolean): ListColumn<Type>[] => [
  {
    key: 'type',
    label: t`Employment type`,
    value: (described) => described.label,
    show: (described) => (
      <>
        <strong className={described.ended ? 'text-soft' : ''}>{described.label}</strong>{' '}
        <span className="text-soft font-mono text-sm">{described.key}</span>
      </>
    ),
  },
  {
    key: 'holds',
    label: t`What holds of its users`,
    value: (described) => holds(described).join('; '),
    show: (described) => (
      <ul>
        {holds(described).map((w) => (
          <li key={w}>{w}</li>
        ))}
      </ul>
    ),
  },
  {
    key: 'users',
    label: t`Users`,
    value: (described) => described.user_count,
    right: true,
    show: (described) => (
      <Link to="/users" search={{ filter: `employment_type eq "${described.key}"` }} className="press">
        {described.user_count}
      </Link>
    ),
  },
  { key: 'state', label: t`State`, value: (described) => (described.ended ? t`ended` : t`in use`), choose: true },
  {
    key: 'edit',
    label: t`Edit`,
    value: () => '',
    show: (described) =>
      writes &&
      !described.ended && (
        <AddPanel press label={t`Edit ${described.label}`} name={`edit-${described.key}`}>
          {(done) => <Describe type={described} revision={revision} done={done} />}
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
  if (!types.data) return <Loading what={t`the employment types`} />
  const revision = types.data.revision
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="employment-types"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Describe a type`}>{(done) => <Describe revision={revision} done={done} />}</AddPanel>}
      >
        <Trans>Employment types</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        {types.data.types.length > 0
          ? t`A user has one of these, or none. A type that is not here is refused.`
          : t`Until one is described, the employment types of users are free texts.`}
      </p>
      {types.data.types.length === 0 && (
        <Empty>
          <Trans>No employment type is described yet.</Trans>
        </Empty>
      )}
      {types.data.types.length > 0 && (
        <ListTable
          what={t`employment type`}
          rows={types.data.types}
          columns={columnsOf(revision, writes)}
          id={(described) => described.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((described) => !described.ended)
                  return (
                    <EndPicked
                      what={t`employment type`}
                      standing={standing}
                      operations={standing.map((described) => ({ op: 'end_employment_type', employment_type: described.key }))}
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

function Describe({ type, revision, done }: { type?: Type; revision: number; done: () => void }) {
  const sheet = useSheet()
  const start = {
    key: type?.key ?? '',
    label: type?.label ?? '',
    external: type?.external ?? false,
    days: String(type?.max_days ?? 0),
    closed: type?.closed ?? false,
    hours: String(type?.max_hours ?? 8),
  }
  const [x, setX] = useTyped(`Describe ${type?.key ?? 'type'}`, start)
  return (
    <form
      aria-label={type ? t`Edit ${type.label}` : t`Describe a type`}
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
        sheet.add({ verb: t`Describe`, what: t`the employment type ${operation.label ?? ''}`, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      <label>
        <Trans>As users have it</Trans>
        <input className="field" disabled={!!type} value={x.key} onChange={(e) => setX({ ...x, key: e.target.value })} />
      </label>
      <label>
        <Trans>What people call it</Trans>
        <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.external} onChange={(e) => setX({ ...x, external: e.target.checked })} />
        <Trans>Its users work for another company: company, sponsor and last day are required</Trans>
      </label>
      <label>
        <Trans>
          Last day at most so many days ahead <span className="text-soft text-sm">0: any</span>
        </Trans>
        <input type="number" min={0} className="field" value={x.days} onChange={(e) => setX({ ...x, days: e.target.value })} />
      </label>
      <span />
      <label className="flex gap-2 sm:col-span-2">
        <input type="checkbox" checked={x.closed} onChange={(e) => setX({ ...x, closed: e.target.checked })} />
        <Trans>Access is closed until somebody opens it for a time</Trans>
      </label>
      {x.closed && (
        <label>
          <Trans>Opened for so many hours at most</Trans>
          <input type="number" min={1} className="field" value={x.hours} onChange={(e) => setX({ ...x, hours: e.target.value })} />
        </label>
      )}
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!x.key.trim()}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
