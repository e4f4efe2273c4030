import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
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
import { sentence, shortDay } from '../shared/words'
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
    label: t`Expectation`,
    value: (x) => x.label,
    show: (x) => (
      <>
        <strong className={x.ended ? 'text-soft' : ''}>{x.label}</strong> <span className="text-soft font-mono text-sm">{x.key}</span>
        {x.words !== x.label && <div className="text-soft text-sm">{x.words}</div>}
      </>
    ),
  },
  { key: 'application', label: t`Application`, value: (x) => x.application.label, choose: true },
  { key: 'kind', label: t`What would break it`, value: (x) => (x.blocking ? t`is refused` : t`shows a warning`), choose: true },
  {
    key: 'state',
    label: t`Now`,
    value: stateOf,
    show: (x) =>
      x.ended ? (
        <span className="text-soft">
          <Trans>ended</Trans>
        </span>
      ) : x.broken ? (
        <strong className="text-brick">
          <Trans>✗ broken by {plural(x.broken.user_count, { one: '# user', other: '# users' })}</Trans>
        </strong>
      ) : (
        <span className="text-kelp">
          <Trans>✓ holds</Trans>
        </span>
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
  if (!all.data) return <Loading what={t`what is expected`} />
  const standing = all.data.expectations.filter((x) => !x.ended)
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="expectations"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Add an expectation`}>{(done) => <Write revision={all.data.revision} done={done} />}</AddPanel>}
      >
        <Trans>Expectations</Trans>
      </Title>
      <p className="text-soft mt-1">
        <Trans>{plural(standing.length, { one: '# thing', other: '# things' })} must keep holding;</Trans>{' '}
        {all.data.broken === 0 ? (
          t`all of them do`
        ) : (
          <strong className="text-brick">{all.data.broken === 1 ? t`1 does not` : t`${all.data.broken} do not`}</strong>
        )}
        <Trans>. Every change is checked against them before it is made.</Trans>
      </p>
      {standing.length === 0 && (
        <Empty>
          <Trans>
            No expectation yet. An expectation is a saved check that must keep holding, such as “Pilots cannot change tariffs”. Every change
            is checked against it.
          </Trans>
        </Empty>
      )}
      {all.data.expectations.length > 0 && (
        <ListTable
          what={t`expectation`}
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
                      what={t`expectation`}
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
            {x.blocking ? t`Changes that would break it are refused` : t`Changes that would break it show a warning`}
            {x.owner && t`; ${x.owner.label} owns it`}.
          </span>
        )}
      </p>
      {b && (
        <div className="border-brick mt-2 border-l-3 pl-3">
          <p>
            <Trans>
              <Mark name="warns" /> Broken by
            </Trans>{' '}
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
            {b.user_count > 8 && t` and ${b.user_count - 8} others`}
            {b.outside && t` and perhaps others outside your part`}
            {b.since && t`, since ${shortDay(b.since)}`}.
          </p>
          {b.written ? (
            <p className="text-soft text-sm">
              <Trans>It did not hold when it was added.</Trans>
            </p>
          ) : b.change ? (
            <p className="text-soft text-sm">
              <Trans>By revision {b.change.revision}</Trans>
              {b.change.by && `, ${b.change.by.label}`}
              {b.change.reason && `: ${b.change.reason}`}
            </p>
          ) : (
            b.since && (
              <p className="text-soft text-sm">
                <Trans>By time: no change was made then.</Trans>
              </p>
            )
          )}
          <p className="text-sm">
            <Link
              to="/applications/$application/holders"
              params={{ application: x.application.key ?? '' }}
              search={{ action: x.action, path: x.pattern.includes('*') ? undefined : x.pattern }}
              className="press"
            >
              <Trans>
                Who can {x.action} <PathText path={x.pattern} />, and through what
              </Trans>
            </Link>
          </p>
        </div>
      )}
    </section>
  )
}

type Whom = 'group' | 'except' | 'user' | 'nobody' | 'newcomer'

const said = [
  { key: 'unit', label: t`Unit`, hint: 'marine/pilotage' },
  { key: 'title', label: t`Title`, hint: t`Harbour pilot` },
  { key: 'employment_type', label: t`Employment`, hint: t`staff` },
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
      ? t`Nobody signed in`
      : x.whom === 'newcomer'
        ? described.length > 0 && t`A new user (${described.join(', ')})`
        : x.whom === 'except'
          ? subject && t`Users outside ${subject.label}`
          : subject && (x.whom === 'group' ? t`Members of ${subject.label}` : subject.label)
  const sentence =
    named && application && x.action && x.pattern.trim()
      ? t`${named} ${x.may ? t`may` : t`may not`} ${x.action} ${x.pattern.trim()} in ${application.label}`
      : ''
  const key = keyOf(x.label || sentence)
    .slice(0, 60)
    .replace(/-+$/, '')
  return (
    <form
      aria-label={t`Add an expectation`}
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
        sheet.add({ verb: t`Expect`, what: x.label.trim() || sentence, detail: sentence, operations: [operation] }, revision)
        setX({ ...x, label: '', about: '' })
        done()
      }}
    >
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          <Trans>Name, as a plain sentence</Trans>
          <input
            className="field"
            maxLength={500}
            placeholder={sentence || t`Pilots cannot change tariffs`}
            value={x.label}
            onChange={(e) => setX({ ...x, label: e.target.value })}
          />
        </label>
        <label>
          <Trans>Why it must keep holding</Trans>
          <input className="field" maxLength={2000} value={x.about} onChange={(e) => setX({ ...x, about: e.target.value })} />
        </label>
        <label>
          <Trans>About whom</Trans>
          <select
            className="field"
            value={x.whom}
            onChange={(e) => {
              setX({ ...x, whom: e.target.value as Whom })
              setWho(null)
            }}
          >
            <option value="group">
              <Trans>each member of a group</Trans>
            </option>
            <option value="except">
              <Trans>everybody but the members of a group</Trans>
            </option>
            <option value="user">
              <Trans>one user</Trans>
            </option>
            <option value="nobody">
              <Trans>nobody signed in</Trans>
            </option>
            <option value="newcomer">
              <Trans>a new user, on their first day</Trans>
            </option>
          </select>
        </label>
        <div className="self-end">
          {x.whom === 'user' && <PickBox label={t`User it is about`} choices={users} value={subject} onChange={setWho} />}
          {(x.whom === 'group' || x.whom === 'except') && (
            <PickBox label={t`Group it is about`} choices={groups} value={subject} onChange={setWho} />
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
          <Trans>They</Trans>
          <select className="field" value={x.may ? 'may' : 'may not'} onChange={(e) => setX({ ...x, may: e.target.value === 'may' })}>
            <option value="may not">
              <Trans>may not, on any of it</Trans>
            </option>
            <option value="may">
              <Trans>may, on all of it</Trans>
            </option>
          </select>
        </label>
        <label>
          <Trans>In</Trans>
          <select className="field" value={x.application} onChange={(e) => setX({ ...x, application: e.target.value, action: '' })}>
            <option value="">
              <Trans>choose an application</Trans>
            </option>
            {apps.map((a) => (
              <option key={a.id} value={a.key}>
                {a.label}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Do what</Trans>
          <select className="field" value={x.action} onChange={(e) => setX({ ...x, action: e.target.value })}>
            <option value="">
              <Trans>choose an action</Trans>
            </option>
            {(application?.actions ?? []).map((a) => (
              <option key={a.key} value={a.key}>
                {a.key}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>On which paths</Trans>
          <input
            className="field font-mono"
            placeholder={t`tariffs`}
            value={x.pattern}
            onChange={(e) => setX({ ...x, pattern: e.target.value })}
          />
        </label>
      </div>
      <Covered application={x.application} pattern={x.pattern} />
      <label className="mt-1 flex gap-2">
        <input type="checkbox" checked={x.blocking} onChange={(e) => setX({ ...x, blocking: e.target.checked })} />
        <Trans>Refuse changes that would break it; otherwise warn</Trans>
      </label>
      <p className="mt-2 min-h-6">
        {sentence && (
          <>
            <Trans>That is: {sentence}.</Trans>
          </>
        )}
      </p>
      <button type="submit" className="button mt-1" disabled={!sentence || !key}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
