import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Operation, Schemas } from '../api/client'
import { keyOf } from '../shared/key'
import { Mark } from '../shared/Mark'
import { PathText } from '../shared/PathText'
import { PickBox, type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { count, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { Covered } from './applications/Covered'
import { useGroupChoices, useUserChoices } from './users/choices'
import { ask } from '../api/ask'
import { useTyped } from '../shell/drafts'

type Expectation = Schemas['Expectation']

const route = getRouteApi('/shell/expectations')

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
      <Title list="expectations" query={{ as_of: asOf }}>
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
      {all.data.expectations.map((x) => (
        <One key={x.id} expectation={x} writes={writes} revision={all.data.revision} />
      ))}
      {writes && <Write revision={all.data.revision} />}
    </>
  )
}

function One({ expectation: x, writes, revision }: { expectation: Expectation; writes: boolean; revision: number }) {
  const sheet = useSheet()
  const b = x.broken
  return (
    <section aria-label={x.label} className={`border-rule mt-4 border-b pb-3 ${x.ended ? 'text-soft' : ''}`}>
      <div className="flex items-baseline justify-between gap-4">
        <h2>
          {b ? <span className="text-brick">✗ </span> : !x.ended && <span className="text-kelp">✓ </span>}
          {x.label} <span className="text-soft font-mono text-sm font-normal">{x.key}</span>
        </h2>
        {x.ended ? (
          <span>ended</span>
        ) : (
          writes && (
            <button
              type="button"
              className="press text-sm"
              aria-label={`End it: ${x.label}`}
              onClick={() =>
                sheet.add(
                  {
                    verb: 'End',
                    what: `the expectation ${x.label}`,
                    operations: [{ op: 'end_expectation', expectation: x.key }],
                  },
                  revision,
                )
              }
            >
              End it
            </button>
          )
        )}
      </div>
      <p>
        {x.words !== x.label && <>{x.words}. </>}
        {x.description && <span className="text-soft">{x.description.charAt(0).toUpperCase() + x.description.slice(1)}. </span>}
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

type Whom = 'group' | 'except' | 'user' | 'nobody'

function Write({ revision }: { revision: number }) {
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
  }>(`Write ${JSON.stringify(search)}`, {
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
  const application = apps.find((a) => a.key === x.application)
  const subject = who ?? (x.whom === 'user' ? users.find((u) => u.key === search.user) : undefined) ?? null
  const named =
    x.whom === 'nobody'
      ? 'Nobody signed in'
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
      className="mt-7 max-w-180"
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
          application: x.application,
          action: x.action,
          pattern: x.pattern.trim(),
          may: x.may || undefined,
          blocking: x.blocking || undefined,
        }
        sheet.add({ verb: 'Expect', what: x.label.trim() || sentence, detail: sentence, operations: [operation] }, revision)
        setX({ ...x, label: '', about: '' })
      }}
    >
      <h2>Add an expectation</h2>
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
          </select>
        </label>
        <div className="self-end">
          {x.whom === 'user' && <PickBox label="User it is about" choices={users} value={subject} onChange={setWho} />}
          {(x.whom === 'group' || x.whom === 'except') && (
            <PickBox label="Group it is about" choices={groups} value={subject} onChange={setWho} />
          )}
        </div>
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
