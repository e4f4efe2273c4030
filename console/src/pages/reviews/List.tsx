import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import type { Operation, Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { useCommit } from '../../shared/commit'
import { keyOf } from '../../shared/key'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Empty, Faults, Loading, Trouble } from '../../shared/State'
import { Title } from '../../shared/Title'
import { count, shortDay } from '../../shared/words'
import { useDay } from '../../shell/day'
import { useMe } from '../../shell/session'
import { chosen } from '../../shared/chosen'
import { ask } from '../../api/ask'
import { useTyped } from '../../shell/drafts'
import { useSheet } from '../../shell/sheet'
import { Lost } from '../../shared/Lost'

const columns: ListColumn<Schemas['Round']>[] = [
  {
    key: 'name',
    label: 'Review',
    value: (r) => r.label,
    show: (r) => (
      <>
        <Link to="/reviews/$round" params={{ round: r.key }} className="press">
          {r.label}
        </Link>
        <div className="text-soft text-sm">Scope: {r.scope}</div>
      </>
    ),
  },
  {
    key: 'state',
    label: 'State',
    value: (r) => (r.state === 'open' ? 'under way' : 'signed off'),
    show: (r) => <span className={r.state === 'open' ? 'text-brass' : 'text-kelp'}>{r.state === 'open' ? 'under way' : 'signed off'}</span>,
    choose: true,
  },
  { key: 'fixed', label: 'As it was on', value: (r) => r.fixed_at, show: (r) => shortDay(r.fixed_at) },
  { key: 'reviewers', label: 'Reviewers', value: (r) => r.reviewers },
  {
    key: 'decided',
    label: 'Decided',
    value: (r) => (r.items ? r.decided / r.items : 1),
    show: (r) => <Progress done={r.decided} of={r.items} />,
  },
  {
    key: 'mine',
    label: 'For you',
    value: (r) => r.mine,
    show: (r) => (r.mine > 0 ? <strong className="text-brass">{count(r.mine, 'item')}</strong> : ''),
    right: true,
  },
]

/** The rounds of review, and opening another. */
export function ReviewList() {
  const [said, setSaid] = useState<string>()
  const { asOf, past } = useDay()
  const me = useMe()
  const reviews = useQuery(ask('/api/v1/reviews', { params: { query: { as_of: asOf } } }))
  if (reviews.error) return <Trouble page error={reviews.error} retry={() => void reviews.refetch()} />
  if (!reviews.data) return <Loading what="the reviews" />
  const all = reviews.data.rounds
  return (
    <>
      <Title
        list="reviews"
        query={{ as_of: asOf }}
        more={
          !past && me.may['reviews.create'] && <AddPanel label="Open a round">{(done) => <OpenRound done={done} say={setSaid} />}</AddPanel>
        }
      >
        Reviews
      </Title>
      {said && <p role="status">{said}.</p>}
      <p className="text-soft mt-1">In a review, reviewers decide who keeps which access.</p>
      {all.length === 0 && (
        <Empty>
          No review is waiting for you. A round looks at an application, a group or some users, and asks item by item who keeps what.
        </Empty>
      )}
      {all.length > 0 && <ListTable what="review" rows={all} columns={columns} id={(r) => r.id} />}
      {!past && <AfterMoves />}
    </>
  )
}

/** Whether each move to another unit opens a review. */
function AfterMoves() {
  const me = useMe()
  const sheet = useSheet()
  if (!me.may['settings.update'] || !me.may['reviews.update']) return null
  const on = !!me.review_moves
  return (
    <section aria-label="After a move" className="mt-8 max-w-180">
      <h2>After a move</h2>
      <p className="text-soft mt-1">
        {on
          ? 'Each move to another unit opens a review of what was given by hand, for the new manager. What the new place gives by rule too is left out.'
          : 'What somebody was given by hand stays when they move to another unit. A review of it can be opened by each move, for the new manager.'}
      </p>
      <button
        type="button"
        className="button-quiet mt-2"
        onClick={() =>
          sheet.add(
            {
              verb: 'Set',
              what: on ? 'that moves no longer open a review' : 'that each move opens a review',
              operations: [{ op: 'set_move_reviews', on: !on }],
            },
            me.revision,
          )
        }
      >
        {on ? 'Stop opening reviews for moves' : 'Open a review for each move'}
      </button>
    </section>
  )
}

/** How many of the items are decided, as a bar with its words. */
export function Progress({ done, of }: { done: number; of: number }) {
  return (
    <>
      <span aria-hidden className="forced-color-adjust-none bg-rule mr-2 inline-block h-2 w-32 rounded-sm align-middle">
        <span className="bg-kelp block h-2 rounded-sm" style={{ width: `${of === 0 ? 0 : Math.round((100 * done) / of)}%` }} />
      </span>
      {done} of {count(of, 'item')} decided.
    </>
  )
}

function OpenRound({ done, say }: { done: () => void; say: (text: string) => void }) {
  const applications = useQuery(ask('/api/v1/applications'))
  const groups = useQuery(ask('/api/v1/groups'))
  const empty = { label: '', kind: 'application', application: '', group: '', filter: '', reviewers: 'manager', reason: '' }
  const [x, setX] = useTyped('OpenRound x', empty)
  const { commit, problem } = useCommit('open round', (r) => {
    say(r.sentences[0] ?? 'The round is open')
    setX(empty)
    done()
  })
  const key = keyOf(x.label)
  const looksAt = x.kind === 'application' ? x.application : x.kind === 'group' ? x.group : x.filter.trim()
  const choices: Schemas['Group'][] = (groups.data?.groups ?? []).filter((g) => !g.built_in)
  return (
    <form
      aria-label="Open a round"
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'open_round',
          key,
          label: x.label.trim(),
          [x.kind]: looksAt,
          reviewers: chosen(['manager', 'owner', 'users'], x.reviewers) ?? 'manager',
        }
        commit.mutate({ operations: [operation], reason: x.reason })
      }}
    >
      {commit.lost && <Lost />}
      <div className="mt-2 grid sm:grid-cols-2 gap-x-5 gap-y-3">
        <label>
          Name of the round
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          Reviewed by
          <select className="field" value={x.reviewers} onChange={(e) => setX({ ...x, reviewers: e.target.value })}>
            <option value="manager">each user’s manager</option>
            <option value="unit_head">the head of each user’s unit</option>
            <option value="owner">the owner of each role</option>
          </select>
        </label>
        <label>
          Scope
          <select className="field" value={x.kind} onChange={(e) => setX({ ...x, kind: e.target.value })}>
            <option value="application">an application</option>
            <option value="group">a group</option>
            <option value="filter">users who match</option>
          </select>
        </label>
        {x.kind === 'filter' ? (
          <label>
            Filter <span className="text-soft text-sm">such as within eq "marine"</span>
            <input className="field font-mono" value={x.filter} onChange={(e) => setX({ ...x, filter: e.target.value })} />
          </label>
        ) : (
          <label>
            {x.kind === 'group' ? 'Group' : 'Application'}
            <select className="field" value={looksAt} onChange={(e) => setX({ ...x, [x.kind]: e.target.value })}>
              <option value="">Choose one</option>
              {(x.kind === 'group' ? choices : (applications.data?.applications ?? [])).map((o) => (
                <option key={o.id} value={o.key}>
                  {o.label}
                </option>
              ))}
            </select>
          </label>
        )}
        <label className="sm:col-span-2">
          Reason
          <input
            className="field"
            value={x.reason}
            placeholder="Recorded with the change"
            onChange={(e) => setX({ ...x, reason: e.target.value })}
          />
        </label>
      </div>
      {problem && (
        <div role="alert" className="border-brick mt-3 border-l-3 pl-3">
          <p>{problem.detail}</p>
          <Faults problem={problem} />
        </div>
      )}
      <button type="submit" className="button mt-3" disabled={!key || !looksAt || x.reason.trim() === '' || commit.isPending}>
        Open this round
      </button>
    </form>
  )
}
