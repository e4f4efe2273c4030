import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState, type ReactNode } from 'react'
import { ProblemError, type Schemas } from '../api/client'
import { Lost } from '../shared/Lost'
import { namesOf } from '../shared/named'
import { PathText } from '../shared/PathText'
import { Rails } from '../shared/Rails'
import { Faults } from '../shared/State'
import { count, lastDay, shortDay, times } from '../shared/words'
import { othersOf, PassOn } from './PassOn'
import { useSend } from './send'
import { useMe } from './session'
import { useSheet, type Line } from './sheet'
import { Stays } from './Stays'
import { useUndo } from './undo'
import { wouldDo } from '../api/ask'

/** What has been altered and not yet committed, and what it would do. */
export function ChangeSheet() {
  const sheet = useSheet()
  const me = useMe()
  const undo = useUndo()
  const [pressed, setPressed] = useState(false) // folded or opened: the keyboard stays with it
  const [passed, setPassed] = useState<string[]>([])
  const [told, setTold] = useState<Schemas['ChangeResult']>()
  const [passedOn, setPassedOn] = useState<Schemas['PendingChange']>()
  const operations = sheet.lines.flatMap((l) => l.operations)
  // What was passed on comes with its reason.
  const pending = [...new Map(sheet.lines.flatMap((l) => (l.pending ? [[l.pending.id, l.pending] as const] : []))).values()]
  const why = sheet.reason.trim() || pending.map((p) => p.reason).join('; ')

  const preview = useQuery({ ...wouldDo(operations), enabled: operations.length > 0, placeholderData: keepPreviousData })
  // What was added meanwhile stays.
  const commit = useSend('sheet', (result, sent) => {
    undo.reset()
    setTold(result)
    setPassedOn(undefined)
    setPassed([])
    if (sheet.lines.every((l) => sent.includes(l.id))) sheet.clear()
    else sheet.remove(...sent)
  })

  // A fault stands at its line, and what the others would do is seen all the same.
  const problem = commit.error ?? preview.error
  const faults = (problem instanceof ProblemError && problem.problem.faults) || []
  const wrong = new Map(sheet.lines.map((l) => [l.id, faults.filter((f) => lineOf(sheet.lines, f.place)?.id === l.id)]))
  const right = sheet.lines.filter((l) => wrong.get(l.id)!.length === 0).flatMap((l) => l.operations)
  const some = faults.length > 0 && right.length > 0 && right.length < operations.length
  const rest = useQuery({ ...wouldDo(right), enabled: some })

  // What went wrong was said of these operations, not of others.
  const [tried, setTried] = useState(operations.length)
  if (tried !== operations.length) {
    setTried(operations.length)
    commit.reset()
  }

  if (sheet.lines.length === 0) {
    if (sheet.discarded) return <Discarded lines={sheet.discarded.lines} back={sheet.bringBack} close={() => (sheet.forget(), toPage())} />
    if (passedOn) return <PassedOn pending={passedOn} close={() => (setPassedOn(undefined), toPage())} />
    if (!told) return null
    return (
      <Done
        result={told}
        close={() => {
          setTold(undefined)
          toPage()
        }}
        undo={me.may['ledger.read'] && !undo.isPending ? () => undo.undo(told.revision) : undefined}
        stays={<Stays stays={undo.stays} problem={undo.problem} />}
      />
    )
  }
  if (!sheet.open) {
    return (
      <button
        type="button"
        autoFocus={pressed}
        className="button fixed right-4 bottom-4 z-20"
        onClick={() => {
          setPressed(true)
          sheet.setOpen(true)
        }}
      >
        <span role="status">Change sheet, {count(sheet.lines.length, 'change')}</span>
      </button>
    )
  }
  const moved = Math.max(0, ...((problem instanceof ProblemError && problem.problem.moved) || []).map((m) => m.revision))
  const split = preview.error instanceof ProblemError ? preview.error.problem.split : undefined
  const others = split ? othersOf(sheet.lines, split) : []
  const rails = preview.data?.preview?.rails ?? []
  const blocked = rails.some((r) => !r.passed && (!r.passable || !passed.includes(r.code)))
  return (
    <aside aria-label="Change sheet" className={drawer}>
      <div className="flex items-baseline justify-between">
        <h2>Change sheet</h2>
        <button
          type="button"
          autoFocus={pressed}
          className="press text-sm"
          onClick={() => {
            setPressed(true)
            sheet.setOpen(false)
          }}
        >
          Fold
        </button>
      </div>
      <ul className="mt-3">
        {sheet.lines.map((l, i) => (
          <li key={l.id} className="border-rule border-t py-2 last:border-b">
            <div className="flex justify-between gap-2">
              <span className="grow">
                <strong>{l.verb}</strong> {l.what}
              </span>
              {!commit.isPending && i > 0 && (
                <button
                  type="button"
                  className="press shrink-0 self-start text-sm"
                  aria-label={`Earlier: ${l.verb} ${l.what}`}
                  title="Make it before the line above"
                  onClick={() => sheet.earlier(l.id)}
                >
                  Earlier
                </button>
              )}
              {!commit.isPending && (
                <button
                  type="button"
                  className="press shrink-0 self-start text-sm"
                  aria-label={`Remove: ${l.verb} ${l.what}`}
                  onClick={() => sheet.remove(l.id)}
                >
                  Remove
                </button>
              )}
            </div>
            <div className="text-soft text-sm">{[whom(l), l.detail].filter(Boolean).join(', ')}</div>
            {wrong.get(l.id)!.map((f, k) => (
              <p key={k} className="text-brick border-brick mt-1 border-l-3 pl-2 text-sm">
                {f.message}
                {f.did_you_mean && <> — did you mean {f.did_you_mean.join(' or ')}?</>}
              </p>
            ))}
          </li>
        ))}
      </ul>
      <Stays stays={undo.stays} />
      {sheet.twice && (
        <p role="status" className="text-brass mt-2 text-sm">
          It is on the sheet already: {sheet.twice}.
        </p>
      )}
      <div aria-live="polite">
        {preview.data && !preview.error && <Effect result={preview.data} />}
        {some && rest.data && <Effect result={rest.data} title="What the other lines do" />}
        {preview.isFetching && !preview.data && <p className="text-soft mt-3">Working out what this does …</p>}
      </div>
      {problem instanceof ProblemError && (
        <div role="alert" className="border-brick mt-3 border-l-3 pl-3">
          <p className="font-semibold">{problem.problem.title}</p>
          <p>{problem.problem.detail}</p>
          <Faults problem={{ ...problem.problem, faults: faults.filter((f) => !lineOf(sheet.lines, f.place)) }} />
          {moved > 0 && (
            <button
              type="button"
              className="press mt-1"
              onClick={() => {
                sheet.seen(moved)
                commit.reset()
              }}
            >
              I acknowledge this
            </button>
          )}
        </div>
      )}
      {!split && rails.some((r) => r.code === 'second_person' && !r.passed) && (
        <PassOn
          others={sheet.lines}
          split={{ can: [], mine: [], others: [] }}
          reason={why}
          done={(p) => {
            setTold(undefined)
            setPassedOn(p)
          }}
        />
      )}
      {split && others.length > 0 && (
        <PassOn
          others={others}
          split={split}
          reason={why}
          done={(p) => {
            setTold(undefined)
            setPassedOn(p)
          }}
        />
      )}
      {passedOn && (
        <p role="status" className="text-kelp mt-3">
          Passed on to {passedOn.to?.label ?? 'anybody who may make it'}, as {passedOn.id}.
        </p>
      )}
      {commit.lost && <Lost />}
      <Rails rails={rails} passed={passed} pass={setPassed} />
      <form
        className="mt-4 flex grow flex-col"
        onSubmit={(e) => {
          e.preventDefault()
          commit.send(
            { operations, reason: why, based_on: sheet.basedOn, acknowledge: passed, pending_changes: pending.map((p) => p.id) },
            sheet.lines.map((l) => l.id),
          )
        }}
      >
        <label htmlFor="reason">Reason</label>
        <textarea
          id="reason"
          rows={2}
          className="field mt-0.5"
          maxLength={2000}
          value={sheet.reason}
          onChange={(e) => sheet.setReason(e.target.value)}
          placeholder={why || 'Recorded with the change'}
        />
        <div className="mt-auto flex gap-2 pt-4">
          <button
            type="submit"
            className="button"
            disabled={why === '' || blocked || preview.isError || preview.data?.unchanged || commit.isPending}
          >
            {commit.isPending ? 'Committing' : 'Commit'} {count(sheet.lines.length, 'change')}
          </button>
          <button type="button" className="button-quiet" disabled={commit.isPending} onClick={() => (undo.reset(), sheet.discard())}>
            Discard
          </button>
        </div>
        {why === '' && <p className="text-soft mt-1 text-sm">Enter a reason to commit.</p>}
      </form>
    </aside>
  )
}

/** The line that a fault is of, by its place: /operations/3/user. */
function lineOf(lines: Line[], place: string): Line | undefined {
  const n = /^\/operations\/(\d+)/.exec(place)?.[1]
  if (n === undefined) return undefined
  let left = Number(n)
  return lines.find((l) => (left -= l.operations.length) < 0)
}

/** Gives the keyboard to the page, when what had it goes. */
const toPage = () => document.getElementById('main')?.focus()

/** The user names of whom a line is about: people may share a name. */
function whom(l: Line): string {
  const names = new Set(l.operations.flatMap((o) => ('user' in o && typeof o.user === 'string' ? [o.user] : [])))
  return names.size === 1 ? [...names][0]! : ''
}

/** What was discarded, until something else is put on the sheet. */
function Discarded({ lines, back, close }: { lines: Line[]; back: () => void; close: () => void }) {
  return (
    <aside aria-label="Change sheet" className={drawer}>
      <h2>Discarded</h2>
      <p role="status" className="mt-3">
        {count(lines.length, 'change')} discarded. Nothing was changed.
      </p>
      <div className="mt-4 flex gap-2">
        <button type="button" className="button" autoFocus onClick={back}>
          Bring back
        </button>
        <button type="button" className="button-quiet" onClick={close}>
          Close
        </button>
      </div>
    </aside>
  )
}

// Beside the page from 1100 pixels on, over it below.
const drawer =
  'border-rule bg-sheet flex w-79 shrink-0 flex-col overflow-y-auto border-l p-4.5 max-[1100px]:fixed max-[1100px]:inset-y-14 max-[1100px]:right-0 max-[1100px]:z-20'

/** What the sheet would do, in a few lines; the rest on demand. */
function Effect({ result, title = 'What this does' }: { result: Schemas['ChangeResult']; title?: string }) {
  const p = result.preview
  if (!p) return null
  const name = namesOf(p.effects.flatMap((e) => e.users))
  return (
    <div className="bg-wash mt-3 rounded-md p-3">
      <h3 className="font-semibold">{title}</h3>
      {result.unchanged && <p>{result.notes?.map((n) => n.message).join(' ') || 'No change: it is so already.'}</p>}
      {p.effects.slice(0, Math.min(8, p.effect_count)).map((e, i) => (
        <EffectLine key={i} effect={e} name={name} />
      ))}
      {p.effect_count > 8 && <p className="text-soft text-sm">and {p.effect_count - 8} more effects</p>}
      {p.states?.map((s) => (
        <p key={s.application.id}>{s.message}</p>
      ))}
      {result.notes
        ?.filter((n) => n.code === 'decides')
        .map((n, i) => (
          <p key={i}>{n.message}</p>
        ))}
      {!result.unchanged && p.effects.length === 0 && !p.states && <p>Nobody gains or loses anything.</p>}
      {p.effects.length > 0 && !p.outside && (
        <p className="text-soft text-sm">
          <span className="mr-1.5 inline-block w-7 text-right">0</span>nobody else is affected
        </p>
      )}
      {p.outside && <p className="text-soft text-sm">This may also affect people you cannot see.</p>}
    </div>
  )
}

function EffectLine({ effect: e, name }: { effect: Schemas['Effect']; name: (u: Schemas['Ref']) => string }) {
  const who = e.user_count === 1 && e.users[0] ? name(e.users[0]) : count(e.user_count, 'user')
  const verb = e.user_count === 1 ? { gain: 'gains', lose: 'loses' } : { gain: 'gain', lose: 'lose' }
  const sides = [
    { sign: '+', ink: 'text-kelp', word: verb.gain, lines: e.gained ?? [] },
    { sign: '−', ink: 'text-brick', word: verb.lose, lines: e.lost ?? [] },
  ].filter((s) => s.lines.length > 0)
  return sides.map((s) => (
    <details key={s.sign} className="text-sm">
      <summary className="flex list-none gap-1.5">
        <span className={`w-7 shrink-0 text-right font-semibold ${s.ink}`}>
          {s.sign}
          {s.lines.length}
        </span>
        <span>
          {who} {s.word} {count(s.lines.length, 'entitlement')} in {[...new Set(s.lines.map((l) => l.application.label))].join(', ')}
          {e.end_early && ` (${e.end_early.toLocaleString('en')} of them until their own last day)`}
        </span>
      </summary>
      <ul className="my-1 ml-8">
        {s.lines.map((l, i) => (
          <li key={i}>
            {l.action} <PathText path={l.target} />
            {l.own && <span className="text-soft">, their own</span>}
            {l.schedule && <span className="text-soft">, {l.schedule.words}</span>}
            {l.when && <span className="text-brass"> {times(l.when)}</span>}
            {!l.when && l.from && <span className="text-soft"> from {shortDay(l.from)}</span>}
            {!l.when && l.until && <span className="text-brass"> until {lastDay(l.until)}</span>}
          </li>
        ))}
      </ul>
      {e.user_count > 1 && (
        <p className="text-soft mb-1 ml-8">
          {e.users.slice(0, 12).map(name).join(', ')}
          {e.user_count > 12 && ` and ${e.user_count - 12} more`}
        </p>
      )}
    </details>
  ))
}

function PassedOn({ pending, close }: { pending: Schemas['PendingChange']; close: () => void }) {
  return (
    <aside aria-label="Change sheet" className={drawer}>
      <h2>Passed on</h2>
      <div role="status" className="mt-3">
        <p>
          To {pending.to?.label ?? 'anybody who may make it'}, as {pending.id}. Nothing was changed yet. Your Today page shows what became
          of it.
        </p>
        <ul className="mt-2">
          {pending.sentences.map((s, i) => (
            <li key={i} className="border-rule border-t py-2 last:border-b">
              {s}
            </li>
          ))}
        </ul>
      </div>
      <button type="button" className="button-quiet mt-4 self-start" autoFocus onClick={close}>
        Close
      </button>
    </aside>
  )
}

function Done({ result, close, undo, stays }: { result: Schemas['ChangeResult']; close: () => void; undo?: () => void; stays: ReactNode }) {
  return (
    <aside aria-label="Change sheet" className={drawer}>
      <h2>Committed</h2>
      <div role="status" className="mt-3">
        <p className="mb-2">
          {result.unchanged
            ? 'Nothing to change: everything is so already. No revision was made.'
            : result.repeated
              ? `It was made, as revision ${result.revision}: the answer was lost on its way.`
              : `Committed as revision ${result.revision}.`}{' '}
          {!result.unchanged && (
            <Link to="/ledger/$revision" params={{ revision: String(result.revision) }} className="press">
              See it
            </Link>
          )}
        </p>
        <ul>
          {result.sentences.map((s, i) => (
            <li key={i} className="border-rule border-t py-2 last:border-b">
              {s}
            </li>
          ))}
        </ul>
        <Effect result={{ ...result, unchanged: false }} />
        {stays}
      </div>
      <div className="mt-4 flex gap-2">
        <button type="button" className="button-quiet" autoFocus onClick={close}>
          Close
        </button>
        {undo && !result.unchanged && (
          <button type="button" className="button-quiet" onClick={undo}>
            Undo
          </button>
        )}
      </div>
    </aside>
  )
}
