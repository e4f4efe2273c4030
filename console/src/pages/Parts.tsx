import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, ProblemError, type Operation, type Schemas } from '../api/client'
import { useSheet } from '../shell/sheet'
import { shortDay } from '../shared/words'

/** Parts of changes that others passed on, and those one passed on oneself. */
export function Parts() {
  const parts = useQuery({ queryKey: ['parts'], queryFn: () => answer(api.GET('/api/v1/parts')) })
  if (!parts.data) return null
  return (
    <>
      {parts.data.to_make.length > 0 && (
        <>
          <h2 className="mt-6">Passed on to you</h2>
          <ul>
            {parts.data.to_make.map((p) => (
              <ToMake key={p.id} part={p} revision={parts.data.revision} />
            ))}
          </ul>
        </>
      )}
      {parts.data.passed_on.length > 0 && (
        <>
          <h2 className="mt-6">You passed on</h2>
          <ul>
            {parts.data.passed_on.map((p) => (
              <PassedOn key={p.id} part={p} />
            ))}
          </ul>
        </>
      )}
    </>
  )
}

const wordsOf = (p: Schemas['Part']) => (p.sentences.length > 0 ? p.sentences : p.lines.map((l) => l.words ?? '').filter(Boolean))

function What({ part: p }: { part: Schemas['Part'] }) {
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
  const end = useMutation({ mutationFn: call, onSettled: () => queries.invalidateQueries({ queryKey: ['parts'] }) })
  return { end, problem: end.error instanceof ProblemError ? end.error.problem : undefined }
}

function ToMake({ part: p, revision }: { part: Schemas['Part']; revision: number }) {
  const sheet = useSheet()
  const [why, setWhy] = useState('')
  const { end, problem } = useEnd(() => answer(api.POST('/api/v1/parts/{part}/refusal', { params: { path: { part: p.id } }, body: { why } })))
  const on = sheet.lines.some((l) => l.part?.id === p.id)
  return (
    <li className="border-rule border-b py-2">
      <What part={p} />
      <p className="text-soft text-sm">
        {p.author.label}, {shortDay(p.created_at)}: {p.reason}
      </p>
      {p.trouble && <p className="text-brick text-sm">Cannot be made as things are: {p.trouble}</p>}
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
          disabled={on}
          onClick={() =>
            sheet.load(
              p.lines.map((l, i) => ({
                verb: 'Make',
                what: l.words || p.sentences[i] || p.id,
                detail: l.detail,
                operations: l.operations as Operation[],
                part: { id: p.id, reason: `Passed on by ${p.author.label}: ${p.reason}` },
              })),
              revision,
            )
          }
        >
          {on ? 'On the sheet' : 'Put on the sheet'}
        </button>
        <input className="field max-w-80" aria-label={`Why ${p.id} is sent back`} placeholder="Why it is sent back" value={why} maxLength={2000} onChange={(e) => setWhy(e.target.value)} />
        <button type="submit" className="button-quiet" disabled={why.trim() === '' || end.isPending}>
          Send back
        </button>
      </form>
      {problem && <p role="alert">{problem.detail}</p>}
    </li>
  )
}

function PassedOn({ part: p }: { part: Schemas['Part'] }) {
  const { end, problem } = useEnd(() => answer(api.DELETE('/api/v1/parts/{part}', { params: { path: { part: p.id } } })))
  const state = {
    waiting: <span className="text-brass">waits for {p.to?.label ?? 'whoever may make it'}</span>,
    made: (
      <span className="text-kelp">
        made by {p.ended_by?.label}, revision {p.revision}
      </span>
    ),
    refused: (
      <span className="text-brick">
        sent back by {p.ended_by?.label}: {p.answer}
      </span>
    ),
    withdrawn: <span className="text-soft">taken back</span>,
  }[p.state]
  return (
    <li className="border-rule border-b py-2">
      <What part={p} />
      <p className="text-sm">
        {state}{' '}
        <span className="text-soft">
          {shortDay(p.created_at)}: {p.reason}
        </span>
      </p>
      {p.trouble && <p className="text-brick text-sm">Cannot be made as things are: {p.trouble}</p>}
      {p.state === 'waiting' && (
        <button type="button" className="press text-sm" disabled={end.isPending} onClick={() => end.mutate()}>
          Take back
        </button>
      )}
      {problem && <p role="alert">{problem.detail}</p>}
    </li>
  )
}
