import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { answer, api, ProblemError, type Schemas } from '../api/client'
import { useSheet } from '../shell/sheet'
import { moment, shortDay } from '../shared/words'
import { ask, asked } from '../api/ask'
import { useTyped } from '../shell/drafts'

/** Pending changes that wait for one, and those one prepared oneself. */
export function PendingChanges() {
  const pending = useQuery(ask('/api/v1/pending-changes'))
  if (!pending.data) return null
  return (
    <>
      {pending.data.to_make.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>Pending changes you may make</Trans>
          </h2>
          <ul>
            {pending.data.to_make.map((p) => (
              <ToMake key={p.id} pending={p} revision={pending.data.revision} />
            ))}
          </ul>
        </>
      )}
      {pending.data.mine.length > 0 && (
        <>
          <h2 className="mt-6">
            <Trans>Changes you prepared</Trans>
          </h2>
          <ul>
            {pending.data.mine.map((p) => (
              <Mine key={p.id} pending={p} revision={pending.data.revision} />
            ))}
          </ul>
        </>
      )}
    </>
  )
}

const wordsOf = (p: Schemas['PendingChange']) => (p.sentences.length > 0 ? p.sentences : p.lines.map((l) => l.words ?? '').filter(Boolean))

function What({ pending: p }: { pending: Schemas['PendingChange'] }) {
  return (
    <ul>
      {wordsOf(p).map((s, i) => (
        <li key={i}>{s}</li>
      ))}
    </ul>
  )
}

function useEnd(call: () => Promise<unknown>) {
  const queries = useQueryClient()
  const end = useMutation({ mutationFn: call, onSettled: () => queries.invalidateQueries(asked('/api/v1/pending-changes')) })
  return { end, problem: end.error instanceof ProblemError ? end.error.problem : undefined }
}

function ToMake({ pending: p, revision }: { pending: Schemas['PendingChange']; revision: number }) {
  const sheet = useSheet()
  const [why, setWhy] = useTyped(`why ${p.id}`, '')
  const { end, problem } = useEnd(() =>
    answer(api.POST('/api/v1/pending-changes/{change}/refusal', { params: { path: { change: p.id } }, body: { why } })),
  )
  const on = sheet.lines.some((l) => l.pending?.id === p.id)
  return (
    <li className="border-rule border-b py-2">
      <What pending={p} />
      <p className="text-soft text-sm">
        {p.round ? (
          <>
            <Trans>
              {shortDay(p.created_at)}, left by the sign-off of{' '}
              <Link to="/reviews/$round" params={{ round: p.round.key ?? '' }} className="press">
                {p.round.label}
              </Link>
              : {p.reason}
            </Trans>
          </>
        ) : (
          <>
            {p.author.label}, {shortDay(p.created_at)}: {p.reason}
          </>
        )}
      </p>
      {p.trouble && (
        <p className="text-brick text-sm">
          <Trans>Cannot be made now: {p.trouble}</Trans>
        </p>
      )}
      <form
        className="mt-1 flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault()
          end.mutate()
        }}
      >
        <button
          type="button"
          className="button-quiet"
          disabled={on || !!p.trouble}
          onClick={() =>
            sheet.load(
              p.lines.map((l, i) => ({
                verb: t`Make`,
                what: l.words || p.sentences[i] || p.id,
                detail: l.detail,
                operations: l.operations,
                pending: { id: p.id, reason: p.round ? p.reason : t`Passed on by ${p.author.label}: ${p.reason}` },
              })),
              revision,
            )
          }
        >
          {on ? t`On the sheet` : t`Add to change sheet`}
        </button>
        <input
          className="field max-w-80"
          aria-label={p.round ? t`What was done about ${p.id}` : t`Why ${p.id} is refused`}
          placeholder={p.round ? t`What was done instead` : t`Why it is refused`}
          value={why}
          maxLength={2000}
          onChange={(e) => setWhy(e.target.value)}
        />
        <button type="submit" className="button-quiet" disabled={why.trim() === '' || end.isPending}>
          {p.round ? t`Settle` : t`Refuse`}
        </button>
      </form>
      {problem && <p role="alert">{problem.detail}</p>}
    </li>
  )
}

function Mine({ pending: p, revision }: { pending: Schemas['PendingChange']; revision: number }) {
  const sheet = useSheet()
  const { end, problem } = useEnd(() => answer(api.DELETE('/api/v1/pending-changes/{change}', { params: { path: { change: p.id } } })))
  const own = p.state === 'saved' || p.state === 'dated' || p.state === 'returned'
  const on = sheet.lines.some((l) => l.pending?.id === p.id)
  const due = p.due && moment(p.due)
  const state = {
    waiting: (
      <span className="text-brass">
        <Trans>waits for {p.to?.label ?? t`anybody who may make it`}</Trans>
      </span>
    ),
    saved: (
      <>
        <Trans>kept as </Trans>
        <strong>{p.name}</strong>
      </>
    ),
    dated: (
      <span className="text-brass">
        <Trans>is made at </Trans>
        {due}
      </span>
    ),
    returned: (
      <span className="text-brick">
        <Trans>was not made at </Trans>
        {due}. {p.answer}
      </span>
    ),
    made: (
      <span className="text-kelp">
        <Trans>made by </Trans>
        {p.ended_by?.label},{' '}
        <Link to="/ledger/$revision" params={{ revision: String(p.revision) }} className="press">
          <Trans>revision </Trans>
          {p.revision}
        </Link>
      </span>
    ),
    refused: (
      <span className="text-brick">
        <Trans>refused by </Trans>
        {p.ended_by?.label}: {p.answer}
      </span>
    ),
    withdrawn: (
      <span className="text-soft">
        <Trans>withdrawn</Trans>
      </span>
    ),
  }[p.state]
  return (
    <li className="border-rule border-b py-2">
      <What pending={p} />
      <p className="text-sm">
        {state}{' '}
        <span className="text-soft">
          {shortDay(p.created_at)}
          {p.reason && `: ${p.reason}`}
          {p.reference && ` (${p.reference})`}
        </span>
      </p>
      {p.trouble && (
        <p className="text-brick text-sm">
          <Trans>Cannot be made now: {p.trouble}</Trans>
        </p>
      )}
      <p className="flex gap-3">
        {own && (
          <button
            type="button"
            className="press text-sm"
            disabled={on}
            onClick={() => {
              sheet.load(
                p.lines.map((l, i) => ({
                  verb: '',
                  what: l.words || p.sentences[i] || p.id,
                  detail: l.detail,
                  operations: l.operations,
                  pending: { id: p.id, reason: p.reason },
                })),
                revision,
              )
              if (p.reference && !sheet.reference) sheet.setReference(p.reference)
            }}
          >
            {on ? t`On the sheet` : t`Open on the change sheet`}
          </button>
        )}
        {(own || p.state === 'waiting') && (
          <button type="button" className="press text-sm" disabled={end.isPending} onClick={() => end.mutate()}>
            {p.state === 'saved' ? t`Discard` : t`Withdraw`}
          </button>
        )}
      </p>
      {problem && <p role="alert">{problem.detail}</p>}
    </li>
  )
}
