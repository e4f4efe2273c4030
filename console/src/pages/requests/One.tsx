import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { Reference } from '../../shared/Reference'
import { useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import type { Schemas } from '../../api/client'
import { useCommit } from '../../shared/commit'
import { PathText } from '../../shared/PathText'
import { Rails } from '../../shared/Rails'
import { Faults, Loading, Trouble } from '../../shared/State'
import { endOfDay, lastDay, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { whereItIs } from './Line'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'
import { Lost } from '../../shared/Lost'

const route = getRouteApi('/shell/requests/$request')

/** One request: what it would add, where it is, and the decision. */
export function OneRequest() {
  const { request: id } = route.useParams()
  const { asOf } = useDay()
  const request = useQuery(ask('/api/v1/requests/{request}', { params: { path: { request: id }, query: { as_of: asOf } } }))
  if (request.error) return <Trouble page error={request.error} retry={() => void request.refetch()} />
  if (!request.data) return <Loading what={id} />
  const r = request.data
  return (
    <>
      <h1>
        <Trans>
          {r.role.label} for {r.beneficiary.label}
        </Trans>
      </h1>
      <p className="text-soft mt-1">
        {r.id}, {r.state}. {r.words && t`To ${r.words}. `}
        {r.from && t`From ${shortDay(r.from)}. `}
        {r.until ? t`Until ${lastDay(r.until)}. ` : t`Without an end. `}
        {whereItIs(r)}
      </p>
      {r.scopes?.map((s, i) => (
        <p key={i}>
          <Trans>
            Only within <PathText path={s.pattern} /> of {s.application.label}.
          </Trans>
        </p>
      ))}
      {r.asked && (
        <p className="mt-2">
          {r.asked.by?.label ?? r.asker.label}, {shortDay(r.asked.at)}: {r.asked.reason} <Reference to={r.reference} />
        </p>
      )}
      {r.grown && (
        <section role="alert" aria-label={t`What has changed since`} className="border-brass mt-4 border-l-3 pl-3">
          <p className="font-semibold">
            <Trans>Since the request, the role has come to give more. You decide on the role as it is now:</Trans>
          </p>
          <ul>
            {r.grown.map((x) => (
              <li key={x}>{x}</li>
            ))}
          </ul>
        </section>
      )}
      <Gains gains={r.gains ?? []} sodRules={r.sod_rules ?? []} waiting={r.state === 'waiting'} />
      <h2 className="mt-6">
        <Trans>Approval steps</Trans>
      </h2>
      <ol className="border-rule bg-sheet mt-2 flex flex-wrap overflow-hidden rounded-md border">
        {r.steps.map((s, i) => (
          <StepBox key={i} step={s} />
        ))}
      </ol>
      {r.assignment && (
        <p className="mt-3">
          <Trans>
            Given. See{' '}
            <Link to="/users/$user" params={{ user: r.beneficiary.key ?? '' }} search={{ tab: 'given' }} className="press">
              what {r.beneficiary.label} holds
            </Link>
            .
          </Trans>
        </p>
      )}
      {r.may_decide && <Decision key={r.revision} request={r} />}
      {r.may_withdraw && <Withdrawal request={r} />}
    </>
  )
}

/** What a role would add, and what it would break. */
export function Gains({ gains, sodRules, waiting }: { gains: Schemas['Entitlement'][]; sodRules: string[]; waiting: boolean }) {
  if (!waiting) return null
  return (
    <section aria-label={t`What it would give`} className="mt-4">
      {sodRules.map((c) => (
        <p key={c} role="alert" className="border-brick mb-2 border-l-3 pl-3">
          <Trans>It would violate an SoD rule: {c}.</Trans>
        </p>
      ))}
      {gains.length === 0 ? (
        <p>
          <Trans>It would give nothing that is not held already.</Trans>
        </p>
      ) : (
        <>
          <p className="font-semibold">
            <Trans>It would give {plural(gains.length, { one: '# entitlement', other: '# entitlements' })}:</Trans>
          </p>
          <ul className="columns-2 gap-x-6">
            {gains.map((g, i) => (
              <li key={i} className="break-inside-avoid py-0.5">
                <span className="text-kelp font-semibold">+</span> {g.action} <PathText path={g.target} />{' '}
                <span className="text-soft text-sm">{g.application.label}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </section>
  )
}

const stepInks: Record<Schemas['RequestStep']['state'], string> = {
  done: 'text-kelp',
  current: 'text-brass',
  not_started: 'text-soft',
  refused: 'text-brick',
  skipped: 'text-soft',
}
const stepWords: Record<Schemas['RequestStep']['state'], string> = {
  done: t`approved`,
  current: t`current`,
  not_started: t`not started`,
  refused: t`refused`,
  skipped: t`skipped`,
}

function StepBox({ step: s }: { step: Schemas['RequestStep'] }) {
  return (
    <li className="border-rule min-w-44 flex-1 border-r px-3 py-2 last:border-r-0">
      <div className={`text-sm ${stepInks[s.state]}`}>{stepWords[s.state]}</div>
      <div className="font-semibold">{s.words}</div>
      {s.state === 'current' && <div className="text-soft text-sm">{s.trouble ?? s.deciders?.map((d) => d.label).join(', ')}</div>}
      {s.decisions?.map((d, i) => (
        <div key={i} className="text-soft text-sm">
          {d.given?.by?.label}
          {d.for && t` in the place of ${d.for.label}`}, {d.given && shortDay(d.given.at)}:{' '}
          {d.approves ? (d.less ? t`approved for less` : t`approved`) : t`refused`}. {d.given?.reason}
        </div>
      ))}
    </li>
  )
}

function Decision({ request: r }: { request: Schemas['OneRequest'] }) {
  const zone = useMe().time_zone
  const [reason, setReason] = useTyped('Decision reason', '')
  const [last, setLast] = useTyped('Decision last', '')
  const { commit, problem, rails, passed, pass } = useCommit(`decide ${r.id}`, () => {
    setReason('')
    setLast('')
  })
  const decide = (decision: 'approve' | 'refuse') => {
    const until = last && decision === 'approve' ? new Date(new Date(endOfDay(last, zone)).getTime() + 1).toISOString() : undefined
    commit.mutate({ reason, operations: [{ op: 'decide_request', request: r.id, decision, until }] })
  }
  return (
    <form
      aria-label={t`Your decision`}
      className="mt-6 max-w-160"
      onSubmit={(e) => {
        e.preventDefault()
        decide('approve')
      }}
    >
      <h2>
        <Trans>Your decision</Trans>
      </h2>
      <label className="mt-2 block">
        <Trans>Reason</Trans>
        <textarea
          className="field mt-0.5"
          rows={2}
          maxLength={2000}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
          placeholder={t`Recorded with the change`}
        />
      </label>
      <label className="mt-2 flex items-center gap-2">
        <Trans>For less: last day</Trans>
        <input type="date" className="field w-auto" value={last} onChange={(e) => setLast(e.target.value)} />
      </label>
      {problem && (
        <div role="alert" className="border-brick mt-3 border-l-3 pl-3">
          <p className="font-semibold">{problem.title}</p>
          <p>{problem.detail}</p>
          <Faults problem={problem} />
        </div>
      )}
      {commit.lost && <Lost />}
      <Rails rails={rails} passed={passed} pass={pass} />
      <div className="mt-3 flex gap-2">
        <button type="submit" className="button" disabled={reason.trim() === '' || commit.isPending}>
          {last ? t`Approve until ${shortDay(last)}` : t`Approve`}
        </button>
        <button type="button" className="button-quiet" disabled={reason.trim() === '' || commit.isPending} onClick={() => decide('refuse')}>
          <Trans>Refuse</Trans>
        </button>
      </div>
      {reason.trim() === '' && (
        <p className="text-soft mt-1 text-sm">
          <Trans>Enter a reason to commit.</Trans>
        </p>
      )}
    </form>
  )
}

function Withdrawal({ request: r }: { request: Schemas['OneRequest'] }) {
  const { commit, problem } = useCommit(`withdraw ${r.id}`, () => undefined)
  return (
    <div className="mt-6">
      <button
        type="button"
        className="button-quiet"
        disabled={commit.isPending}
        onClick={() => commit.mutate({ reason: t`Withdrawn`, operations: [{ op: 'withdraw_request', request: r.id }] })}
      >
        <Trans>Withdraw this request</Trans>
      </button>
      {problem && <p role="alert">{problem.detail}</p>}
    </div>
  )
}
