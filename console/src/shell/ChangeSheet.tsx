import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { ProblemError, type Schemas } from '../api/client'
import { Lost } from '../shared/Lost'
import { Rails } from '../shared/Rails'
import { Faults } from '../shared/State'
import { frozenWords, lastDay } from '../shared/words'
import { Later } from './Later'
import { othersOf, PassOn } from './PassOn'
import { useSend } from './send'
import { useMe } from './session'
import { useSheet, type Line } from './sheet'
import { Discarded, Done, drawer, Prepared } from './SheetAfter'
import { Effect } from './SheetEffect'
import { Stays } from './Stays'
import { useUndo } from './undo'
import { wouldDo } from '../api/ask'

const MendLine = lazy(() => import('./MendLine').then((m) => ({ default: m.MendLine })))

/** What has been altered and not yet committed, and what it would do. */
export function ChangeSheet() {
  const sheet = useSheet()
  const me = useMe()
  const undo = useUndo()
  const [pressed, setPressed] = useState(false) // folded or opened: the keyboard stays with it
  const [passed, setPassed] = useState<string[]>([])
  const [told, setTold] = useState<Schemas['ChangeResult']>()
  const [made, setMade] = useState<Line[]>([])
  const [mending, setMending] = useState<string>()
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
    setMade(sheet.lines.filter((l) => sent.includes(l.id)))
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
    if (passedOn) return <Prepared pending={passedOn} close={() => (setPassedOn(undefined), toPage())} />
    if (!told) return null
    return (
      <Done
        result={told}
        lines={made}
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
        <span role="status">
          <Trans>Change sheet, {plural(sheet.lines.length, { one: '# change', other: '# changes' })}</Trans>
        </span>
      </button>
    )
  }
  const moved = Math.max(0, ...((problem instanceof ProblemError && problem.problem.moved) || []).map((m) => m.revision))
  const split = preview.error instanceof ProblemError ? preview.error.problem.split : undefined
  const others = split ? othersOf(sheet.lines, split) : []
  const rails = preview.data?.preview?.rails ?? []
  const blocked = rails.some((r) => !r.passed && (!r.passable || !passed.includes(r.code)))
  return (
    <aside aria-label={t`Change sheet`} className={drawer}>
      <div className="flex items-baseline justify-between">
        <h2>
          <Trans>Change sheet</Trans>
        </h2>
        <button
          type="button"
          autoFocus={pressed}
          className="press text-sm"
          onClick={() => {
            setPressed(true)
            sheet.setOpen(false)
          }}
        >
          <Trans>Collapse</Trans>
        </button>
      </div>
      {!rails.some((r) => r.code === 'freeze') &&
        me.freezes?.map((f) => (
          <p key={f.id} className="text-brass mt-2 text-sm">
            <Trans>
              The freeze “{f.label}” stands until {lastDay(f.until)}, for {frozenWords(f)}: {f.why}
            </Trans>
          </p>
        ))}
      <ul className="mt-3">
        {sheet.lines.map((l, i) => (
          <li key={l.id} className="border-rule border-t py-2 last:border-b">
            <div className="flex justify-between gap-2">
              <span className="grow">
                {(l.mended && said(preview.data, sheet.lines, l)) || (
                  <>
                    <strong>{l.verb}</strong> {l.what}
                    {l.mended && (
                      <span className="text-soft">
                        <Trans> (edited)</Trans>
                      </span>
                    )}
                  </>
                )}
              </span>
              {!commit.isPending && mending !== l.id && (
                <button
                  type="button"
                  className="press shrink-0 self-start text-sm"
                  aria-label={t`Edit: ${l.verb} ${l.what}`}
                  onClick={() => setMending(l.id)}
                >
                  <Trans>Edit</Trans>
                </button>
              )}
              {!commit.isPending && i > 0 && (
                <button
                  type="button"
                  className="press shrink-0 self-start text-sm"
                  aria-label={t`Earlier: ${l.verb} ${l.what}`}
                  title={t`Make it before the line above`}
                  onClick={() => sheet.earlier(l.id)}
                >
                  <Trans>Earlier</Trans>
                </button>
              )}
              {!commit.isPending && (
                <button
                  type="button"
                  className="press shrink-0 self-start text-sm"
                  aria-label={t`Remove: ${l.verb} ${l.what}`}
                  onClick={() => sheet.remove(l.id)}
                >
                  <Trans>Remove</Trans>
                </button>
              )}
            </div>
            {!l.mended && <div className="text-soft text-sm">{[whom(l), l.detail].filter(Boolean).join(', ')}</div>}
            {mending === l.id && (
              <Suspense>
                <MendLine
                  operations={l.operations}
                  save={(operations) => {
                    sheet.mend(l.id, operations)
                    setMending(undefined)
                  }}
                  cancel={() => setMending(undefined)}
                />
              </Suspense>
            )}
            {notesOf(preview.data, sheet.lines, l).map((n, k) => (
              <p
                key={k}
                className={`mt-1 text-sm ${n.code === 'violated_already' || n.code === 'not_so_yet' ? 'text-brass' : 'text-soft'}`}
              >
                {n.message}
              </p>
            ))}
            {wrong.get(l.id)!.map((f, k) => (
              <p key={k} className="text-brick border-brick mt-1 border-l-3 pl-2 text-sm">
                {f.message}
                {f.did_you_mean && (
                  <>
                    <Trans> — did you mean {f.did_you_mean.join(' or ')}?</Trans>
                  </>
                )}
              </p>
            ))}
          </li>
        ))}
      </ul>
      <Stays stays={undo.stays} />
      {sheet.twice && (
        <p role="status" className="text-brass mt-2 text-sm">
          <Trans>It is on the sheet already: {sheet.twice}.</Trans>
        </p>
      )}
      <div aria-live="polite">
        {preview.data && !preview.error && <Effect result={preview.data} />}
        {some && rest.data && <Effect result={rest.data} title={t`What the other lines do`} />}
        {preview.isFetching && !preview.data && (
          <p className="text-soft mt-3">
            <Trans>Working out what this does …</Trans>
          </p>
        )}
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
              <Trans>I acknowledge this</Trans>
            </button>
          )}
        </div>
      )}
      <Rails rails={rails} passed={passed} pass={setPassed} />
      {!split && rails.some((r) => (r.code === 'second_person' || r.code === 'freeze') && !r.passable && !r.passed) && (
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
          <Trans>
            Passed on to {passedOn.to?.label ?? t`anybody who may make it`}, as {passedOn.id}.
          </Trans>
        </p>
      )}
      {commit.lost && <Lost />}
      <form
        className="mt-4 flex grow flex-col"
        onSubmit={(e) => {
          e.preventDefault()
          commit.send(
            {
              operations,
              reason: why,
              reference: sheet.reference.trim(),
              based_on: sheet.basedOn,
              acknowledge: passed,
              pending_changes: pending.map((p) => p.id),
            },
            sheet.lines.map((l) => l.id),
          )
        }}
      >
        <label htmlFor="reason">
          <Trans>Reason</Trans>
        </label>
        <textarea
          id="reason"
          rows={2}
          className="field mt-0.5"
          maxLength={2000}
          value={sheet.reason}
          onChange={(e) => sheet.setReason(e.target.value)}
          placeholder={why || t`Recorded with the change`}
        />
        <label htmlFor="reference" className="mt-2">
          <Trans>Reference</Trans>
        </label>
        <input
          id="reference"
          className="field mt-0.5"
          maxLength={100}
          value={sheet.reference}
          onChange={(e) => sheet.setReference(e.target.value)}
          placeholder={me.references.pattern ? t`Fits ${me.references.pattern}` : t`Such as a ticket number`}
        />
        <div className="mt-auto flex gap-2 pt-4">
          <button
            type="submit"
            className="button"
            disabled={why === '' || blocked || preview.isError || preview.data?.unchanged || commit.isPending}
          >
            {commit.isPending ? t`Committing` : t`Commit`} {plural(sheet.lines.length, { one: '# change', other: '# changes' })}
          </button>
          <button type="button" className="button-quiet" disabled={commit.isPending} onClick={() => (undo.reset(), sheet.discard())}>
            <Trans>Discard</Trans>
          </button>
        </div>
        {why === '' && (
          <p className="text-soft mt-1 text-sm">
            <Trans>Enter a reason to commit.</Trans>
          </p>
        )}
      </form>
      <Later
        reason={why}
        acknowledge={passed}
        ready={
          !preview.isError &&
          !preview.data?.unchanged &&
          !rails.some((r) => !r.passed && r.code !== 'freeze' && (!r.passable || !passed.includes(r.code)))
        }
        done={(p) => {
          setTold(undefined)
          setPassedOn(p)
        }}
      />
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

/** How the service tells a line, where it could work out what all of them do. */
function said(result: Schemas['ChangeResult'] | undefined, lines: Line[], l: Line): string | undefined {
  const before = lines.slice(0, lines.indexOf(l)).reduce((n, x) => n + x.operations.length, 0)
  const all = lines.reduce((n, x) => n + x.operations.length, 0)
  return result?.sentences.length === all ? result.sentences.slice(before, before + l.operations.length).join('; ') : undefined
}

/** What the service notes of a line: that it is so already, who violates a rule, what covers nothing. */
function notesOf(result: Schemas['ChangeResult'] | undefined, lines: Line[], l: Line): Schemas['Note'][] {
  if (result?.unchanged) return []
  const before = lines.slice(0, lines.indexOf(l)).reduce((n, x) => n + x.operations.length, 0)
  return result?.notes?.filter((n) => n.code !== 'decides' && n.operation >= before && n.operation < before + l.operations.length) ?? []
}

/** Gives the keyboard to the page, when what had it goes. */
const toPage = () => document.getElementById('main')?.focus()

/** The user names of whom a line is about: people may share a name. */
function whom(l: Line): string {
  const names = new Set(l.operations.flatMap((o) => ('user' in o && typeof o.user === 'string' ? [o.user] : [])))
  return names.size === 1 ? [...names][0]! : ''
}
