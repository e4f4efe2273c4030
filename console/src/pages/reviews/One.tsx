import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { getRouteApi, Link } from '@tanstack/react-router'
import { useRef, useState, type KeyboardEvent } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { useCommit } from '../../shared/commit'
import { Mark } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { Rails } from '../../shared/Rails'
import { Empty, Faults, Loading, Trouble } from '../../shared/State'
import { lastDay, list, shortDay } from '../../shared/words'
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
        <Trans>
          {r.state === 'open' ? t`Under way` : t`Signed off`}. Scope: {r.scope}, as it was in revision {r.fixed_revision} on{' '}
          {shortDay(r.fixed_at)}; reviewed by {r.reviewers}.
        </Trans>
      </p>
      <p className="mt-1">
        <Progress done={r.decided} of={r.items} /> {r.to_revoke > 0 && t`${r.to_revoke} to revoke.`}{' '}
        <a className="press" href={`/api/v1/reviews/${encodeURIComponent(r.key)}/lines.csv`} download>
          <Trans>As a file</Trans>
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
        <Trans>Show</Trans>
        <select className="field w-auto" value={shown} onChange={(e) => void navigate({ search: (s) => ({ ...s, show: e.target.value }) })}>
          <option value="mine">
            <Trans>for me to decide</Trans>
          </option>
          <option value="undecided">
            <Trans>undecided</Trans>
          </option>
          <option value="all">
            <Trans>all items</Trans>
          </option>
        </select>
      </label>
      {lines.error && <Trouble error={lines.error} retry={() => void lines.refetch()} />}
      {lines.isPending && !lines.error && <Loading what={t`the items`} />}
      {lines.data && all.length === 0 && (
        <Empty>{shown === 'mine' ? t`Nothing is left for you to decide here.` : t`No review item.`}</Empty>
      )}
      {all.length > 0 && (
        <Lines key={shown} round={r.key} lines={all} decides={!past && r.state === 'open'} total={lines.data?.pages[0]?.total ?? 0} />
      )}
      {lines.hasNextPage && (
        <button type="button" className="button-quiet mt-3" onClick={() => void lines.fetchNextPage()}>
          <Trans>More items</Trans>
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
        {plural(total, { one: '# item', other: '# items' })}.{mine && t` Keys: arrows move, K keeps, R revokes, U undoes, Enter shows why.`}{' '}
        {undecided.length > 0 && (
          <button type="button" className="press" onClick={() => say(undecided, 'keep')}>
            <Trans>Keep the {plural(undecided.length, { one: '# undecided item', other: '# undecided items' })} shown</Trans>
          </button>
        )}
      </p>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>
              <Trans>User</Trans>
            </th>
            <th>
              <Trans>Role</Trans>
            </th>
            <th>
              <Trans>Held since</Trans>
            </th>
            <th>
              <Trans>Of the unit</Trans>
            </th>
            <th>
              <Trans>Decision</Trans>
            </th>
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
          <Trans>{plural(Object.keys(thrown).length, { one: '# decision', other: '# decisions' })} discarded.</Trans>{' '}
          <button
            type="button"
            className="press"
            onClick={() => {
              setSaid(thrown)
              setThrown(undefined)
            }}
          >
            <Trans>Bring back</Trans>
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
              {l.shared.with.length > 3 && t` and ${l.shared.with.length - 3} more`}
              <div className="text-soft text-sm">
                <Trans>
                  {l.shared.resource ?? l.shared.path} is shared with {l.shared.with.length === 1 ? t`this user` : t`these users`}
                </Trans>
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
            {l.application?.label} {l.through === 'group' ? t`through a group` : l.through === 'default' ? t`by default` : ''}
          </div>
          {l.sod_rules?.map((c) => (
            <div key={c} className="text-brick text-sm">
              <Trans>
                <Mark name="warns" /> breaks {c}
              </Trans>
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
          {l.until && (
            <div className="text-brass">
              <Trans>until {lastDay(l.until)}</Trans>
            </div>
          )}
        </td>
        <td className="text-sm">{!l.shared && t`${l.peers} of ${l.unitmates}`}</td>
        <td>
          {l.gone ? (
            <span className="text-soft">
              <Trans>ended since</Trans>
            </span>
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
              <button type="button" className="press" aria-label={t`Keep ${l.role.label} of ${l.user.label}`} onClick={() => say('keep')}>
                <Trans>Keep</Trans>
              </button>
              <button
                type="button"
                className="press"
                aria-label={t`Revoke ${l.role.label} of ${l.user.label}`}
                onClick={() => say('revoke')}
              >
                <Trans>Revoke</Trans>
              </button>
              {said && (
                <button
                  type="button"
                  className="press"
                  aria-label={t`Undo the decision on ${l.role.label} of ${l.user.label}`}
                  onClick={() => say()}
                >
                  <Trans>Undo</Trans>
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
                <Trans>
                  {l.role.label} within {l.shared.path}: {list(l.shared.with.map((x) => x.user.label + (x.gone ? t` (ended since)` : '')))}.
                </Trans>
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
      aria-label={t`Save decisions`}
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
        <Trans>Reason</Trans>
        <input className="field" value={reason} placeholder={t`Recorded with the change`} onChange={(e) => setReason(e.target.value)} />
      </label>
      <button type="submit" className="button" disabled={reason.trim() === '' || commit.isPending}>
        <Trans>Save {plural(n, { one: '# decision', other: '# decisions' })}</Trans>
      </button>
      <button type="button" className="button-quiet" disabled={commit.isPending} onClick={throwAway}>
        <Trans>Discard</Trans>
      </button>
      {hidden > 0 && (
        <p className="text-soft w-full text-sm">
          <Trans>{plural(hidden, { one: '# of them is', other: '# of them are' })} not among the items shown.</Trans>
        </p>
      )}
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
  if (r.decided < r.items)
    return (
      <p className="text-soft mt-2">
        <Trans>It can be signed off once every item is decided.</Trans>
      </p>
    )
  return (
    <form
      aria-label={t`Sign off`}
      className="bg-wash mt-3 max-w-160 rounded-md p-3"
      onSubmit={(e) => {
        e.preventDefault()
        commit.mutate({ operations, reason })
      }}
    >
      <h2>
        <Trans>Sign off</Trans>
      </h2>
      <p>
        {preview.data?.sentences.join(' ')}.{' '}
        {preview.data?.preview &&
          (preview.data.preview.users_losing === 0
            ? t`Nobody loses access.`
            : t`${plural(preview.data.preview.users_losing, { one: '# user', other: '# users' })} would lose ${plural(preview.data.preview.lost, { one: '# thing', other: '# things' })}.`)}
      </p>
      <label className="mt-2 block">
        <Trans>Reason</Trans>
        <input className="field" value={reason} placeholder={t`Recorded with the change`} onChange={(e) => setReason(e.target.value)} />
      </label>
      {(problem ?? preview.error) && <Trouble error={commit.error ?? preview.error} />}
      <Rails rails={rails} passed={passed} pass={pass} />
      <button type="submit" className="button mt-2" disabled={reason.trim() === '' || commit.isPending}>
        <Trans>Sign off</Trans>
      </button>
    </form>
  )
}
