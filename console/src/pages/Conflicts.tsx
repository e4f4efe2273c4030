import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { answer, api, type Operation, type Schemas } from '../api/client'
import { keyOf } from '../shared/key'
import { Mark } from '../shared/Mark'
import { Path } from '../shared/Path'
import { type Choice } from '../shared/PickBox'
import { Picks } from '../shared/Picks'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, list, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { useRoleChoices } from './users/choices'

/** Roles nobody may combine, and who does, with both paths. */
export function ConflictsPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const conflicts = useQuery({
    queryKey: ['conflicts', asOf],
    queryFn: () => answer(api.GET('/api/v1/conflicts', { params: { query: { as_of: asOf } } })),
  })
  if (conflicts.error) return <Trouble page error={conflicts.error} retry={() => void conflicts.refetch()} />
  if (!conflicts.data) return <Loading what="the conflicts" />
  const all = conflicts.data.conflicts
  const broken = all.reduce((n, c) => n + c.breaches.length, 0)
  const writes = !past && me.may['settings.update']
  return (
    <>
      <Title list="conflicts" query={{ as_of: asOf }}>Conflicts</Title>
      <p className="text-soft mt-1">
        {count(all.filter((c) => !c.ended).length, 'conflict')} in force, broken by {count(broken, 'user')}. Roles that stand in one are not to be held by the same person.
      </p>
      {all.length === 0 && (
        <Empty>No conflict is written yet. One names roles that check each other, such as who raises a credit and who releases it.</Empty>
      )}
      {all.map((c) => (
        <One key={c.id} conflict={c} revision={conflicts.data.revision} writes={writes} />
      ))}
      {writes && <NewConflict revision={conflicts.data.revision} />}
    </>
  )
}

function One({ conflict: c, revision, writes }: { conflict: Schemas['Conflict']; revision: number; writes: boolean | undefined }) {
  const sheet = useSheet()
  return (
    <section aria-label={c.label} className={`border-rule mt-5 border-b pb-3 ${c.ended ? 'text-soft' : ''}`}>
      <div className="flex items-baseline justify-between gap-4">
        <h2>
          {c.label} <span className="text-soft font-mono text-sm font-normal">{c.key}</span>
        </h2>
        {c.ended ? (
          <span>ended</span>
        ) : (
          writes && (
            <button
              type="button"
              className="press text-sm"
              onClick={() => sheet.add({ verb: 'End', what: `the conflict ${c.label}`, operations: [{ op: 'end_conflict', conflict: c.key }] }, revision)}
            >
              End this conflict
            </button>
          )
        )}
      </div>
      <p>
        Nobody holds {list(c.roles.map((r) => r.label))} at the same time. {c.description} {!c.ended && (c.prevent ? 'What would bring it about is refused.' : 'What would bring it about is warned of.')}
      </p>
      {c.given?.reason && (
        <p className="text-soft text-sm">
          {c.given.by ? `${c.given.by.label}, ` : ''}
          {shortDay(c.given.at)}: {c.given.reason}
        </p>
      )}
      {!c.ended && c.breaches.length === 0 && <p className="text-kelp mt-1">Nobody breaks it.</p>}
      {c.breaches.map((b) => (
        <details key={b.user.id ?? b.user.label} className="mt-1">
          <summary>
            <Mark name="warns" />{' '}
            <strong>{b.user.label}</strong>{' '}
            <span className="text-soft text-sm">
              {b.from ? `from ${shortDay(b.from)}` : 'holds them now'}
              {b.until && ` until ${shortDay(b.until)}`}
            </span>
          </summary>
          <div className="mt-1.5 mb-3 space-y-2">
            {b.paths.map((p, i) => (
              <Path key={i} path={p} />
            ))}
            <Link to="/users/$user" params={{ user: b.user.key ?? '' }} className="press">
              All that {b.user.label} holds
            </Link>
          </div>
        </details>
      ))}
    </section>
  )
}

function NewConflict({ revision }: { revision: number }) {
  const sheet = useSheet()
  const choices = useRoleChoices()
  const empty = { label: '', description: '', prevent: true }
  const [x, setX] = useState(empty)
  const [roles, setRoles] = useState<Choice[]>([])
  const key = keyOf(x.label)
  return (
    <form
      aria-label="Write a conflict"
      className="mt-7 max-w-180"
      onSubmit={(e) => {
        e.preventDefault()
        const operation = { op: 'add_conflict', key, label: x.label.trim(), description: x.description.trim(), roles: roles.map((r) => r.key), prevent: x.prevent } as Operation
        sheet.add({ verb: 'Write', what: `the conflict ${x.label.trim()}`, detail: roles.map((r) => r.label).join(', '), operations: [operation] }, revision)
        setX(empty)
        setRoles([])
      }}
    >
      <h2>Write a conflict</h2>
      <div className="mt-2 grid grid-cols-2 gap-x-5 gap-y-3">
        <label>
          Name of the conflict
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          Why nobody may combine them
          <input className="field" value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
        </label>
        <Picks title="Roles" label="Role in conflict" choices={choices} picked={roles} pick={setRoles} />
        <label className="flex gap-2 self-start pt-6">
          <input type="checkbox" checked={x.prevent} onChange={(e) => setX({ ...x, prevent: e.target.checked })} />
          Refuse what would bring it about; else warn
        </label>
      </div>
      <button type="submit" className="button mt-3" disabled={!key || roles.length < 2}>
        Put on the sheet
      </button>
    </form>
  )
}
