import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useRef, useState, type KeyboardEvent } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { useCommit } from '../../shared/commit'
import { Mark } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { Rails } from '../../shared/Rails'
import { Empty, Faults, Loading, Trouble } from '../../shared/State'
import { count, lastDay, list, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { Progress } from './List'
import { ask, askPages, wouldDo } from '../../api/ask'
import { useDraft, useTyped } from '../../shell/drafts'
import { Lost } from '../../shared/Lost'

const route = getRouteApi('/shell/reviews/$round')

type Line = Schemas['ReviewItem']
type Said = Record<string, 'keep' | 'revoke'>

const keyOf = (l: Line) => `${l.user.id ?? l.user.label} ${l.assignment}`

/** What is decided on with a line: each with whom it is shared, where it is. */
const keysOf = (l: Line) => {
  const mine = l.shared?.with.filter((x) => x.mine).map((x) => `${x.user.id ?? x.user.label} ${x.assignment}`) ?? []
  return mine.length > 0 ? mine : [keyOf(l)]
}

/** One round: its lines, decided one by one or many at once, and the sign-off. */
export function OneReview() {
  const { round } = route.useParams()
  const { show } = route.useSearch()
  const navigate = route.useNavigate()
  const { asOf, past } = useDay()
  const review = useQuery(ask('/api/v1/reviews/{round}', { params: { path: { round }, query: { as_of: asOf } } }))
  const shown = show ?? (review.data && review.data.mine > 0 ? 'mine' : 'all')
  const lines = useInfiniteQuery({
    enabled: !!review.data,
    ...askPages('/api/v1/reviews/{round}/items', (cursor) => ({
      params: {
        path: { round },
        query: {
          mine: shown === 'mine' || undefined,
          undecided: shown === 'mine' || shown === 'undecided' || undefined,
          as_of: asOf,
          cursor,
          limit: 100,
        },
      },
    })),
  })
  if (review.error) return <Trouble page error={review.error} retry={() => void review.refetch()} />
  if (!review.data) return <Loading what={round} />
  const r = review.data
  const all = lines.data?.pages.flatMap((p) => p.items) ?? []
  return (
    <>
      <h1>{r.label}</h1>
      <p className="text-soft mt-1">
        {r.state === 'open' ? 'Under way' : 'Signed off'}. Scope: {r.scope}, as it was in revision {r.fixed_revision} on{' '}
        {shortDay(r.fixed_at)}; reviewed by {r.reviewers}.
      </p>
      <p className="mt-1">
        <Progress done={r.decided} of={r.items} /> {r.to_revoke > 0 && `${r.to_revoke} to revoke.`}{' '}
        <a className="press" href={`/api/v1/reviews/${encodeURIComponent(r.key)}/lines.csv`} download>
          As a file
        </a>
      </p>
      {(r.progress ?? []).length > 1 && (
        <ul className="mt-2">
          {r.progress!.map((p) => (
            <li key={p.reviewer.label} className="text-sm">
              <span className="inline-block w-48">{p.reviewer.label}</span> <Progress done={p.decided} of={p.items} />
            </li>
          ))}
        </ul>
      )}
      {r.may_sign && <SignOff round={r} />}
      <label className="mt-4 flex items-center gap-2">
        Show
        <select className="field w-auto" value={shown} onChange={(e) => void navigate({ search: (s) => ({ ...s, show: e.target.value }) })}>
          <option value="mine">for me to decide</option>
          <option value="undecided">undecided</option>
          <option value="all">all items</option>
        </select>
      </label>
      {lines.error && <Trouble error={lines.error} retry={() => void lines.refetch()} />}
      {lines.isPending && !lines.error && <Loading what="the items" />}
      {lines.data && all.length === 0 && <Empty>{shown === 'mine' ? 'Nothing is left for you to decide here.' : 'No review item.'}</Empty>}
      {all.length > 0 && (
        <Lines key={shown} round={r.key} lines={all} decides={!past && r.state === 'open'} total={lines.data?.pages[0]?.total ?? 0} />
      )}
      {lines.hasNextPage && (
        <button type="button" className="button-quiet mt-3" onClick={() => void lines.fetchNextPage()}>
          More items
        </button>
      )}
    </>
  )
}

/** The lines, with what is said of each before it is saved: a draft, which is kept in this
 * browser for the round and whoever reviews, whatever is shown. K keeps, R revokes,
 * U takes back, the arrows move, Enter shows the path. */
function Lines({ round, lines, decides, total }: { round: string; lines: Line[]; decides: boolean; total: number }) {
  const [said, setSaid] = useDraft<Said>(`review ${round}`, {}, 'browser')
  const [thrown, setThrown] = useState<Said>()
  const [at, setAt] = useState(0)
  const [open, setOpen] = useState<number>()
  const table = useRef<HTMLTableSectionElement>(null)
  const mine = decides && lines.some((l) => l.mine)
  const undecided = lines.filter((l) => l.mine && !l.gone && !l.decision && !said[keysOf(l)[0]!])
  const say = (all: Line[], decision?: 'keep' | 'revoke') =>
    setSaid((was) => {
      const next = { ...was }
      for (const l of all.filter((x) => x.mine)) {
        for (const k of keysOf(l))
          if (decision) next[k] = decision
          else delete next[k]
      }
      return next
    })
  const go = (row: number) => {
    const to = Math.max(0, Math.min(lines.length - 1, row))
    setAt(to)
    table.current?.querySelectorAll<HTMLElement>('[data-line]')[to]?.focus()
  }
  const press = (e: KeyboardEvent, row: number) => {
    const line = lines[row]!
    const does: Record<string, () => void> = {
      ArrowDown: () => go(row + 1),
      ArrowUp: () => go(row - 1),
      Enter: () => setOpen(open === row ? undefined : row),
      k: () => (say([line], 'keep'), go(row + 1)),
      r: () => (say([line], 'revoke'), go(row + 1)),
      u: () => say([line]),
    }
    if (e.target !== e.currentTarget || !does[e.key] || e.ctrlKey || e.metaKey || (!decides && e.key.length === 1)) return
    e.preventDefault()
    does[e.key]!()
  }
  return (
    <>
      <p className="text-soft mt-2 text-sm">
        {count(total, 'item')}.{mine && ' Keys: arrows move, K keeps, R revokes, U undoes, Enter shows why.'}{' '}
        {undecided.length > 0 && (
          <button type="button" className="press" onClick={() => say(undecided, 'keep')}>
            Keep the {count(undecided.length, 'undecided item')} shown
          </button>
        )}
      </p>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>User</th>
            <th>Role</th>
            <th>Held since</th>
            <th>Of the unit</th>
            <th>Decision</th>
          </tr>
        </thead>
        <tbody ref={table}>
          {lines.map((l, i) => (
            <Row
              key={keyOf(l)}
              line={l}
              said={said[keysOf(l)[0]!]}
              focus={i === at}
              open={open === i}
              press={(e) => press(e, i)}
              show={() => setOpen(open === i ? undefined : i)}
              say={(v) => say([l], v)}
            />
          ))}
        </tbody>
      </table>
      {thrown && Object.keys(said).length === 0 && (
        <p role="status" className="mt-3">
          {count(Object.keys(thrown).length, 'decision')} discarded.{' '}
          <button
            type="button"
            className="press"
            onClick={() => {
              setSaid(thrown)
              setThrown(undefined)
            }}
          >
            Bring back
          </button>
        </p>
      )}
      {decides && (
        <Save
          round={round}
          said={said}
          hidden={Object.keys(said).filter((k) => !lines.some((l) => keysOf(l).includes(k))).length}
          done={() => setSaid({})}
          throwAway={() => {
            setThrown(said)
            setSaid({})
          }}
        />
      )}
    </>
  )
}

function Row({
  line: l,
  said,
  focus,
  open,
  press,
  show,
  say,
}: {
  line: Line
  said?: 'keep' | 'revoke'
  focus: boolean
  open: boolean
  press: (e: KeyboardEvent) => void
  show: () => void
  say: (v?: 'keep' | 'revoke') => void
}) {
  const decision = said ?? l.decision
  return (
    <>
      <tr data-line tabIndex={focus ? 0 : -1} onKeyDown={press} className={said ? 'bg-wash' : ''}>
        <td>
          {l.shared ? (
            <>
              {list(l.shared.with.slice(0, 3).map((x) => x.user.label))}
              {l.shared.with.length > 3 && ` and ${l.shared.with.length - 3} more`}
              <div className="text-soft text-sm">
                {l.shared.resource ?? l.shared.path} is shared with {l.shared.with.length === 1 ? 'this user' : 'these users'}
              </div>
            </>
          ) : (
            <>
              {l.user.key ? (
                <Link to="/users/$user" params={{ user: l.user.key }} tabIndex={-1} className="press">
                  {l.user.label}
                </Link>
              ) : (
                l.user.label
              )}
              <div className="text-soft text-sm">{l.title || l.unit}</div>
            </>
          )}
        </td>
        <td>
          <button type="button" className="press text-left" aria-expanded={open} onClick={show}>
            {l.role.label}
          </button>
          <div className="text-soft text-sm">
            {l.application?.label} {l.through === 'group' ? 'through a group' : l.through === 'default' ? 'by default' : ''}
          </div>
          {l.sod_rules?.map((c) => (
            <div key={c} className="text-brick text-sm">
              <Mark name="warns" /> breaks {c}
            </div>
          ))}
        </td>
        <td className="text-soft text-sm">
          {l.since && (
            <>
              {shortDay(l.since.at)}
              {l.since.by && `, ${l.since.by.label}`}: {l.since.reason}
            </>
          )}
          {l.until && <div className="text-brass">until {lastDay(l.until)}</div>}
        </td>
        <td className="text-sm">{!l.shared && `${l.peers} of ${l.unitmates}`}</td>
        <td>
          {l.gone ? (
            <span className="text-soft">ended since</span>
          ) : (
            decision && <span className={decision === 'keep' ? 'text-kelp font-semibold' : 'text-brick font-semibold'}>{decision}</span>
          )}
          {l.decided && !said && (
            <div className="text-soft text-sm">
              {l.decided.by?.label}: {l.decided.reason}
            </div>
          )}
          {l.mine && (
            <div className="flex gap-3 text-sm print:hidden">
              <button type="button" className="press" aria-label={`Keep ${l.role.label} of ${l.user.label}`} onClick={() => say('keep')}>
                Keep
              </button>
              <button
                type="button"
                className="press"
                aria-label={`Revoke ${l.role.label} of ${l.user.label}`}
                onClick={() => say('revoke')}
              >
                Revoke
              </button>
              {said && (
                <button
                  type="button"
                  className="press"
                  aria-label={`Undo the decision on ${l.role.label} of ${l.user.label}`}
                  onClick={() => say()}
                >
                  Undo
                </button>
              )}
            </div>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={5}>
            {l.shared && (
              <p>
                {l.role.label} within {l.shared.path}: {list(l.shared.with.map((x) => x.user.label + (x.gone ? ' (ended since)' : '')))}.
              </p>
            )}
            <Path path={l.path} />
          </td>
        </tr>
      )}
    </>
  )
}

function Save({
  round,
  said,
  hidden,
  done,
  throwAway,
}: {
  round: string
  said: Said
  hidden: number
  done: () => void
  throwAway: () => void
}) {
  const [reason, setReason] = useTyped('Save reason', '')
  const { commit, problem, rails, passed, pass } = useCommit(`decide items ${round}`, () => {
    setReason('')
    done()
  })
  const n = Object.keys(said).length
  const of = (decision: 'keep' | 'revoke') =>
    Object.keys(said)
      .filter((k) => said[k] === decision)
      .map((k) => ({ user: k.slice(0, k.lastIndexOf(' ')), assignment: k.slice(k.lastIndexOf(' ') + 1) }))
  if (n === 0) return null
  return (
    <form
      aria-label="Save decisions"
      className="border-rule bg-paper sticky -bottom-5 mt-3 flex flex-wrap items-end gap-3 border-t pt-3 pb-6"
      onSubmit={(e) => {
        e.preventDefault()
        const operations = (['keep', 'revoke'] as const)
          .filter((v) => of(v).length > 0)
          .map((v) => ({ op: 'decide_items' as const, round, items: of(v), keep: v === 'keep' }))
        commit.mutate({ operations, reason })
      }}
    >
      <label className="grow">
        Reason
        <input className="field" value={reason} placeholder="Recorded with the change" onChange={(e) => setReason(e.target.value)} />
      </label>
      <button type="submit" className="button" disabled={reason.trim() === '' || commit.isPending}>
        Save {count(n, 'decision')}
      </button>
      <button type="button" className="button-quiet" disabled={commit.isPending} onClick={throwAway}>
        Discard
      </button>
      {hidden > 0 && <p className="text-soft w-full text-sm">{count(hidden, 'of them is', 'of them are')} not among the items shown.</p>}
      {commit.lost && <Lost />}
      {problem && (
        <div role="alert" className="border-brick w-full border-l-3 pl-3">
          <p>{problem.detail}</p>
          <Faults problem={problem} />
        </div>
      )}
      <Rails rails={rails} passed={passed} pass={pass} />
    </form>
  )
}

function SignOff({ round: r }: { round: Schemas['OneRound'] }) {
  const [reason, setReason] = useTyped('SignOff reason', '')
  const { commit, problem, rails, passed, pass } = useCommit(`sign off ${r.key}`, () => undefined)
  const operations = [{ op: 'sign_off', round: r.key }] satisfies Operation[]
  const preview = useQuery({ ...wouldDo(operations), enabled: r.decided === r.items })
  if (r.decided < r.items) return <p className="text-soft mt-2">It can be signed off once every item is decided.</p>
  return (
    <form
      aria-label="Sign off"
      className="bg-wash mt-3 max-w-160 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        commit.mutate({ operations, reason })
      }}
    >
      <h2>Sign off</h2>
      <p>
        {preview.data?.sentences.join(' ')}.{' '}
        {preview.data?.preview &&
          (preview.data.preview.users_losing === 0
            ? 'Nobody loses access.'
            : `${count(preview.data.preview.users_losing, 'user')} would lose ${count(preview.data.preview.lost, 'thing')}.`)}
      </p>
      <label className="mt-2 block">
        Reason
        <input className="field" value={reason} placeholder="Recorded with the change" onChange={(e) => setReason(e.target.value)} />
      </label>
      {(problem ?? preview.error) && <Trouble error={commit.error ?? preview.error} />}
      <Rails rails={rails} passed={passed} pass={pass} />
      <button type="submit" className="button mt-2" disabled={reason.trim() === '' || commit.isPending}>
        Sign off
      </button>
    </form>
  )
}
