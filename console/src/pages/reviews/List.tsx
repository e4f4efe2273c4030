import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
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
import { shortDay } from '../../shared/words'
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
    label: t`Review`,
    value: (r) => r.label,
    show: (r) => (
      <>
        <Link to="/reviews/$round" params={{ round: r.key }} className="press">
          {r.label}
        </Link>
        <div className="text-soft text-sm">
          <Trans>Scope: {r.scope}</Trans>
        </div>
      </>
    ),
  },
  {
    key: 'state',
    label: t`State`,
    value: (r) => (r.state === 'open' ? t`under way` : t`signed off`),
    show: (r) => (
      <span className={r.state === 'open' ? 'text-brass' : 'text-kelp'}>{r.state === 'open' ? t`under way` : t`signed off`}</span>
    ),
    choose: true,
  },
  { key: 'fixed', label: t`As it was on`, value: (r) => r.fixed_at, show: (r) => shortDay(r.fixed_at) },
  { key: 'reviewers', label: t`Reviewers`, value: (r) => r.reviewers },
  {
    key: 'decided',
    label: t`Decided`,
    value: (r) => (r.items ? r.decided / r.items : 1),
    show: (r) => <Progress done={r.decided} of={r.items} />,
  },
  {
    key: 'mine',
    label: t`For you`,
    value: (r) => r.mine,
    show: (r) => (r.mine > 0 ? <strong className="text-brass">{plural(r.mine, { one: '# item', other: '# items' })}</strong> : ''),
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
  if (!reviews.data) return <Loading what={t`the reviews`} />
  const all = reviews.data.rounds
  return (
    <>
      <Title
        list="reviews"
        query={{ as_of: asOf }}
        more={
          !past &&
          me.may['reviews.create'] && <AddPanel label={t`Open a round`}>{(done) => <OpenRound done={done} say={setSaid} />}</AddPanel>
        }
      >
        <Trans>Reviews</Trans>
      </Title>
      {said && <p role="status">{said}.</p>}
      <p className="text-soft mt-1">
        <Trans>In a review, reviewers decide who keeps which access.</Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>
            No review is waiting for you. A round looks at an application, a group or some users, and asks item by item who keeps what.
          </Trans>
        </Empty>
      )}
      {all.length > 0 && <ListTable what={t`review`} rows={all} columns={columns} id={(r) => r.id} />}
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
    <section aria-label={t`After a move`} className="mt-8 max-w-180">
      <h2>
        <Trans>After a move</Trans>
      </h2>
      <p className="text-soft mt-1">
        {on
          ? t`Each move to another unit opens a review of what was given by hand, for the new manager. What the new place gives by rule too is left out.`
          : t`What somebody was given by hand stays when they move to another unit. A review of it can be opened by each move, for the new manager.`}
      </p>
      <button
        type="button"
        className="button-quiet mt-2"
        onClick={() =>
          sheet.add(
            {
              verb: t`Set`,
              what: on ? t`that moves no longer open a review` : t`that each move opens a review`,
              operations: [{ op: 'set_move_reviews', on: !on }],
            },
            me.revision,
          )
        }
      >
        {on ? t`Stop opening reviews for moves` : t`Open a review for each move`}
      </button>
    </section>
  )
}

/** How many of the items are decided, as a bar with its words. */
export function Progress({ done, of }: { done: number; of: number }) {
  return (
    <>
      <Trans>
        <span aria-hidden className="forced-color-adjust-none bg-rule mr-2 inline-block h-2 w-32 rounded-sm align-middle">
          <span className="bg-kelp block h-2 rounded-sm" style={{ width: `${of === 0 ? 0 : Math.round((100 * done) / of)}%` }} />
        </span>
        {done} of {plural(of, { one: '# item', other: '# items' })} decided.
      </Trans>
    </>
  )
}

function OpenRound({ done, say }: { done: () => void; say: (text: string) => void }) {
  const applications = useQuery(ask('/api/v1/applications'))
  const groups = useQuery(ask('/api/v1/groups'))
  const empty = { label: '', kind: 'application', application: '', group: '', filter: '', reviewers: 'manager', reason: '' }
  const [x, setX] = useTyped('OpenRound x', empty)
  const { commit, problem } = useCommit('open round', (r) => {
    say(r.sentences[0] ?? t`The round is open`)
    setX(empty)
    done()
  })
  const key = keyOf(x.label)
  const looksAt = x.kind === 'application' ? x.application : x.kind === 'group' ? x.group : x.filter.trim()
  const choices: Schemas['Group'][] = (groups.data?.groups ?? []).filter((g) => !g.built_in)
  return (
    <form
      aria-label={t`Open a round`}
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
          <Trans>Name of the round</Trans>
          <input className="field" value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
        </label>
        <label>
          <Trans>Reviewed by</Trans>
          <select className="field" value={x.reviewers} onChange={(e) => setX({ ...x, reviewers: e.target.value })}>
            <option value="manager">
              <Trans>each user’s manager</Trans>
            </option>
            <option value="unit_head">
              <Trans>the head of each user’s unit</Trans>
            </option>
            <option value="owner">
              <Trans>the owner of each role</Trans>
            </option>
          </select>
        </label>
        <label>
          <Trans>Scope</Trans>
          <select className="field" value={x.kind} onChange={(e) => setX({ ...x, kind: e.target.value })}>
            <option value="application">
              <Trans>an application</Trans>
            </option>
            <option value="group">
              <Trans>a group</Trans>
            </option>
            <option value="filter">
              <Trans>users who match</Trans>
            </option>
          </select>
        </label>
        {x.kind === 'filter' ? (
          <label>
            <Trans>
              Filter <span className="text-soft text-sm">such as within eq "marine"</span>
            </Trans>
            <input className="field font-mono" value={x.filter} onChange={(e) => setX({ ...x, filter: e.target.value })} />
          </label>
        ) : (
          <label>
            {x.kind === 'group' ? t`Group` : t`Application`}
            <select className="field" value={looksAt} onChange={(e) => setX({ ...x, [x.kind]: e.target.value })}>
              <option value="">
                <Trans>Choose one</Trans>
              </option>
              {(x.kind === 'group' ? choices : (applications.data?.applications ?? [])).map((o) => (
                <option key={o.id} value={o.key}>
                  {o.label}
                </option>
              ))}
            </select>
          </label>
        )}
        <label className="sm:col-span-2">
          <Trans>Reason</Trans>
          <input
            className="field"
            value={x.reason}
            placeholder={t`Recorded with the change`}
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
        <Trans>Open this round</Trans>
      </button>
    </form>
  )
}
