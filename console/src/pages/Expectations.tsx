import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { keyOf } from '../shared/key'
import { Mark } from '../shared/Mark'
import { PathText } from '../shared/PathText'
import { PickBox, type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, sentence, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { Covered } from './applications/Covered'
import { useGroupChoices, useUserChoices } from './users/choices'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

type Expectation = Schemas['Expectation']

const route = getRouteApi('/shell/expectations')

const stateOf = (x: Expectation) => (x.ended ? 'ended' : x.broken ? 'broken' : 'holds')

const columns: ListColumn<Expectation>[] = [
  {
    key: 'name',
    label: 'Expectation',
    value: (x) => x.label,
    show: (x) => (
      <>
        <strong className={x.ended ? 'text-soft' : ''}>{x.label}</strong> <span className="text-soft font-mono text-sm">{x.key}</span>
        {x.words !== x.label && <div className="text-soft text-sm">{x.words}</div>}
      </>
    ),
  },
  { key: 'application', label: 'Application', value: (x) => x.application.label, choose: true },
  { key: 'kind', label: 'What would break it', value: (x) => (x.blocking ? 'is refused' : 'shows a warning'), choose: true },
  {
    key: 'state',
    label: 'Now',
    value: stateOf,
    show: (x) =>
      x.ended ? (
        <span className="text-soft">ended</span>
      ) : x.broken ? (
        <strong className="text-brick">✗ broken by {count(x.broken.user_count, 'user')}</strong>
      ) : (
        <span className="text-kelp">✓ holds</span>
      ),
    choose: true,
  },
]

/** Checks that must keep holding, with their state. */
export function ExpectationsPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const all = useQuery(ask('/api/v1/expectations', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what="what is expected" />
  const standing = all.data.expectations.filter((x) => !x.ended)
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="expectations"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label="Add an expectation">{(done) => <Write revision={all.data.revision} done={done} />}</AddPanel>}
      >
        Expectations
      </Title>
      <p className="text-soft mt-1">
        {count(standing.length, 'thing')} must keep holding;{' '}
        {all.data.broken === 0 ? (
          'all of them do'
        ) : (
          <strong className="text-brick">{all.data.broken === 1 ? '1 does not' : `${all.data.broken} do not`}</strong>
        )}
        . Every change is checked against them before it is made.
      </p>
      {standing.length === 0 && (
        <Empty>
          No expectation yet. An expectation is a saved check that must keep holding, such as “Pilots cannot change tariffs”. Every change
          is checked against it.
        </Empty>
      )}
      {all.data.expectations.length > 0 && (
        <ListTable
          what="expectation"
          rows={all.data.expectations}
          columns={columns}
          id={(x) => x.id}
          detail={(x) => <One expectation={x} />}
          opens={(x) => !!x.broken}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((x) => !x.ended)
                  return (
                    <EndPicked
                      what="expectation"
                      standing={standing}
                      operations={standing.map((x) => ({ op: 'end_expectation', expectation: x.key }))}
                      revision={all.data.revision}
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

function One({ expectation: x }: { expectation: Expectation }) {
  const b = x.broken
  return (
    <section aria-label={x.label} className="pb-2">
      <p>
        {x.description && <span className="text-soft">{sentence(x.description)} </span>}
        {!x.ended && (
          <span className="text-soft">
            {x.blocking ? 'Changes that would break it are refused' : 'Changes that would break it show a warning'}
            {x.owner && `; ${x.owner.label} owns it`}.
          </span>
        )}
      </p>
      {b && (
        <div className="border-brick mt-2 border-l-3 pl-3">
          <p>
            <Mark name="warns" /> Broken by{' '}
            {b.by.slice(0, 8).map((y, i) => (
              <span key={i}>
                {i > 0 && ', '}
                {y.user.key ? (
                  <Link to="/users/$user" params={{ user: y.user.key }} className="press">
                    {y.user.label}
                  </Link>
                ) : (
                  y.user.label
                )}
              </span>
            ))}
            {b.user_count > 8 && ` and ${b.user_count - 8} others`}
            {b.outside && ' and perhaps others outside your part'}
            {b.since && `, since ${shortDay(b.since)}`}.
          </p>
          {b.written ? (
            <p className="text-soft text-sm">It did not hold when it was added.</p>
          ) : b.change ? (
            <p className="text-soft text-sm">
              By revision {b.change.revision}
              {b.change.by && `, ${b.change.by.label}`}
              {b.change.reason && `: ${b.change.reason}`}
            </p>
          ) : (
            b.since && <p className="text-soft text-sm">By time: no change was made then.</p>
          )}
          <p className="text-sm">
            <Link
              to="/applications/$application/holders"
              params={{ application: x.application.key ?? '' }}
              search={{ action: x.action, path: x.pattern.includes('*') ? undefined : x.pattern }}
              className="press"
            >
              Who can {x.action} <PathText path={x.pattern} />, and through what
            </Link>
          </p>
        </div>
      )}
    </section>
  )
}

type Whom = 'group' | 'except' | 'user' | 'nobody' | 'newcomer'

const said = [
  { key: 'unit', label: 'Unit', hint: 'marine/pilotage' },
  { key: 'title', label: 'Title', hint: 'Harbour pilot' },
  { key: 'employment_type', label: 'Employment', hint: 'staff' },
] as const

type Newcomer = Partial<Record<(typeof said)[number]['key'], string>>

/** What is said of a new user, without what is blank. */
function given(x: Newcomer): Newcomer {
  return Object.fromEntries(Object.entries(x).flatMap(([key, value]) => (value.trim() ? [[key, value.trim()]] : [])))
}

function Write({ revision, done }: { revision: number; done: () => void }) {
  const sheet = useSheet()
  const search = route.useSearch()
  const users = useUserChoices()
  const groups = useGroupChoices()
  const applications = useQuery(ask('/api/v1/applications'))
  const apps = (applications.data?.applications ?? []).filter((a) => a.key !== 'able-roster')
  const [x, setX] = useTyped<{
    label: string
    about: string
    whom: Whom
    may: boolean
    application: string
    action: string
    pattern: string
    blocking: boolean
  }>(`Write ${JSON.stringify([search.user, search.nobody, search.may, search.application, search.action, search.path])}`, {
    label: '',
    about: '',
    whom: search.nobody ? 'nobody' : search.user ? 'user' : 'group',
    may: search.may === 'yes',
    application: search.application ?? '',
    action: search.action ?? '',
    pattern: search.path ?? '',
    blocking: true,
  })
  const [who, setWho] = useTyped<Choice | null>('Write who', null)
  const [newcomer, setNewcomer] = useTyped<Newcomer>('Write newcomer', {})
  const described = said.flatMap((f) => (newcomer[f.key]?.trim() ? `${f.label.toLowerCase()} ${newcomer[f.key]!.trim()}` : []))
  const application = apps.find((a) => a.key === x.application)
  const subject = who ?? (x.whom === 'user' ? users.find((u) => u.key === search.user) : undefined) ?? null
  const named =
    x.whom === 'nobody'
      ? 'Nobody signed in'
      : x.whom === 'newcomer'
        ? described.length > 0 && `A new user (${described.join(', ')})`
        : x.whom === 'except'
          ? subject && `Users outside ${subject.label}`
          : subject && (x.whom === 'group' ? `Members of ${subject.label}` : subject.label)
  const sentence =
    named && application && x.action && x.pattern.trim()
      ? `${named} ${x.may ? 'may' : 'may not'} ${x.action} ${x.pattern.trim()} in ${application.label}`
      : ''
  const key = keyOf(x.label || sentence)
    .slice(0, 60)
    .replace(/-+$/, '')
  return (
    <form
      aria-label="Add an expectation"
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_expectation',
          key,
          label: x.label.trim() || undefined,
          description: x.about.trim() || undefined,
          user: x.whom === 'user' ? subject!.key : undefined,
          group: x.whom === 'group' || x.whom === 'except' ? subject!.key : undefined,
          except: x.whom === 'except' || undefined,
          nobody: x.whom === 'nobody' || undefined,
          would_be: x.whom === 'newcomer' ? given(newcomer) : undefined,
          application: x.application,
          action: x.action,
          pattern: x.pattern.trim(),
          may: x.may || undefined,
          blocking: x.blocking || undefined,
        }
        sheet.add({ verb: 'Expect', what: x.label.trim() || sentence, detail: sentence, operations: [operation] }, revision)
        setX({ ...x, label: '', about: '' })
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          Name, as a plain sentence
          <input
            className="field"
            maxLength={500}
            placeholder={sentence || 'Pilots cannot change tariffs'}
            value={x.label}
            onChange={(e) => setX({ ...x, label: e.target.value })}
          />
        </label>
        <label>
          Why it must keep holding
          <input className="field" maxLength={2000} value={x.about} onChange={(e) => setX({ ...x, about: e.target.value })} />
        </label>
        <label>
          About whom
          <select
            className="field"
            value={x.whom}
            onChange={(e) => {
              setX({ ...x, whom: e.target.value as Whom })
              setWho(null)
            }}
          >
            <option value="group">each member of a group</option>
            <option value="except">everybody but the members of a group</option>
            <option value="user">one user</option>
            <option value="nobody">nobody signed in</option>
            <option value="newcomer">a new user, on their first day</option>
          </select>
        </label>
        <div className="self-end">
          {x.whom === 'user' && <PickBox label="User it is about" choices={users} value={subject} onChange={setWho} />}
          {(x.whom === 'group' || x.whom === 'except') && (
            <PickBox label="Group it is about" choices={groups} value={subject} onChange={setWho} />
          )}
        </div>
        {x.whom === 'newcomer' &&
          said.map((f) => (
            <label key={f.key}>
              {f.label}
              <input
                className="field"
                maxLength={200}
                placeholder={f.hint}
                value={newcomer[f.key] ?? ''}
                onChange={(e) => setNewcomer({ ...newcomer, [f.key]: e.target.value })}
              />
            </label>
          ))}
        <label>
          They
          <select className="field" value={x.may ? 'may' : 'may not'} onChange={(e) => setX({ ...x, may: e.target.value === 'may' })}>
            <option value="may not">may not, on any of it</option>
            <option value="may">may, on all of it</option>
          </select>
        </label>
        <label>
          In
          <select className="field" value={x.application} onChange={(e) => setX({ ...x, application: e.target.value, action: '' })}>
            <option value="">choose an application</option>
            {apps.map((a) => (
              <option key={a.id} value={a.key}>
                {a.label}
              </option>
            ))}
          </select>
        </label>
        <label>
          Do what
          <select className="field" value={x.action} onChange={(e) => setX({ ...x, action: e.target.value })}>
            <option value="">choose an action</option>
            {(application?.actions ?? []).map((a) => (
              <option key={a.key} value={a.key}>
                {a.key}
              </option>
            ))}
          </select>
        </label>
        <label>
          On which paths
          <input
            className="field font-mono"
            placeholder="tariffs"
            value={x.pattern}
            onChange={(e) => setX({ ...x, pattern: e.target.value })}
          />
        </label>
      </div>
      <Covered application={x.application} pattern={x.pattern} />
      <label className="mt-1 flex gap-2">
        <input type="checkbox" checked={x.blocking} onChange={(e) => setX({ ...x, blocking: e.target.checked })} />
        Refuse changes that would break it; otherwise warn
      </label>
      <p className="mt-2 min-h-6">{sentence && <>That is: {sentence}.</>}</p>
      <button type="submit" className="button mt-1" disabled={!sentence || !key}>
        Add to change sheet
      </button>
    </form>
  )
}
