import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { keyOf } from '../shared/key'
import { type Choice } from '../shared/PickBox'
import { Picks } from '../shared/Picks'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { UserBox } from '../shared/UserBox'
import { windowOf } from '../shared/window'
import { frozenWords, lastDay, list, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { useUnits } from './users/choices'

const words = { standing: t`in force`, coming: t`to come`, over: t`over`, ended: t`ended` }
const through = (f: Schemas['Freeze']) =>
  list([...(f.let_through ?? []).map((u) => u.label), ...(f.let_through_group ? [t`members of ${f.let_through_group.label}`] : [])]) ||
  t`nobody`

const columns: ListColumn<Schemas['Freeze']>[] = [
  {
    key: 'name',
    label: t`Freeze`,
    value: (f) => f.label,
    show: (f) => (
      <>
        <strong>{f.label}</strong> <span className="text-soft font-mono text-sm">{f.key}</span>
        <div className="text-soft text-sm">{f.why}</div>
      </>
    ),
  },
  {
    key: 'when',
    label: t`When`,
    value: (f) => f.until,
    show: (f) => `${f.from ? t`${shortDay(f.from)} to ` : t`until `}${lastDay(f.until)}`,
  },
  { key: 'what', label: t`What`, value: frozenWords },
  { key: 'through', label: t`Who is let through`, value: through },
  {
    key: 'state',
    label: t`State`,
    value: (f) => words[f.state],
    show: (f) => <span className={f.state === 'standing' ? 'text-brass font-semibold' : 'text-soft'}>{words[f.state]}</span>,
    choose: true,
  },
]

/** Times in which access is changed by those alone who are let through. */
export function FreezesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const freezes = useQuery(ask('/api/v1/freezes', { params: { query: { as_of: asOf } } }))
  if (freezes.error) return <Trouble page error={freezes.error} retry={() => void freezes.refetch()} />
  if (!freezes.data) return <Loading what={t`the freezes`} />
  const all = freezes.data.freezes
  const writes = !past && me.may['settings.update']
  const standing = all.filter((f) => f.state === 'standing').length
  return (
    <>
      <Title
        list="freezes"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Set a freeze`}>{(done) => <SetFreeze revision={freezes.data.revision} done={done} />}</AddPanel>}
      >
        <Trans>Freezes</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          {standing > 0 ? t`${plural(standing, { one: '# freeze', other: '# freezes' })} in force. ` : ''}While a freeze stands, only those
          it lets through can change access. Departures and revocations are always possible.
        </Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>No freeze yet. A freeze protects a time such as the year-end close from changes.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`freeze`}
          rows={all}
          columns={columns}
          id={(f) => f.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((f) => f.state === 'standing' || f.state === 'coming')
                  return (
                    <EndPicked
                      what={t`freeze`}
                      standing={standing}
                      operations={standing.map((f) => ({ op: 'end_freeze', freeze: f.key }))}
                      revision={freezes.data.revision}
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

function SetFreeze({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const me = useMe()
  const units = useUnits()
  const applications = useQuery(ask('/api/v1/applications'))
  const empty = { label: '', why: '', first: '', last: '', through: '' }
  const [x, setX] = useTyped('SetFreeze x', empty)
  const [of, setOf] = useTyped<Choice[]>('SetFreeze applications', [])
  const [in_, setIn] = useTyped<Choice[]>('SetFreeze units', [])
  const key = keyOf(x.label)
  const ready = key && x.why.trim() && x.last
  return (
    <form
      aria-label={t`Set a freeze`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_freeze',
          key,
          label: x.label.trim(),
          why: x.why.trim(),
          ...windowOf(x, me.time_zone),
          applications: of.map((a) => a.key),
          units: in_.map((u) => u.key),
          let_through: x.through ? [x.through] : [],
        }
        sheet.add({ verb: t`Set`, what: t`the freeze ${x.label.trim()}`, detail: x.why.trim(), operations: [operation] }, revision)
        setX(empty)
        setOf([])
        setIn([])
        done()
      }}
    >
      <div className="mt-2 grid gap-x-5 gap-y-3 sm:grid-cols-2">
        <label>
          <Trans>Name of the freeze</Trans>
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>Why, for whoever it stops</Trans>
          <input className="field" value={x.why} onChange={(e) => setX({ ...x, why: e.target.value })} />
        </label>
        <label>
          <Trans>First day</Trans>
          <input type="date" className="field" value={x.first} onChange={(e) => setX({ ...x, first: e.target.value })} />
        </label>
        <label>
          <Trans>Last day</Trans>
          <input type="date" className="field" value={x.last} onChange={(e) => setX({ ...x, last: e.target.value })} />
        </label>
        <Picks
          title={t`Applications`}
          label={t`Application that is frozen`}
          choices={(applications.data?.applications ?? []).map((a) => ({ key: a.key, label: a.label }))}
          picked={of}
          pick={setOf}
        />
        <Picks title={t`Units, with those below`} label={t`Unit that is frozen`} choices={units} picked={in_} pick={setIn} />
        <div>
          <Trans>
            Who is let through
            <UserBox label={t`Who is let through`} value={x.through} onChange={(through) => setX({ ...x, through })} />
          </Trans>
        </div>
      </div>
      <p className="text-soft mt-2 text-sm">
        <Trans>Without an application and a unit it is about all changes.</Trans>
      </p>
      <button type="submit" className="button mt-3" disabled={!ready}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
