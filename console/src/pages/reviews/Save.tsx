import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useCommit } from '../../shared/commit'
import { Lost } from '../../shared/Lost'
import { Rails } from '../../shared/Rails'
import { Faults } from '../../shared/State'
import { useTyped } from '../../shell/drafts'

/** What is said of items, by user and assignment. */
export type Said = Record<string, 'keep' | 'revoke'>

/** Saves what is said of the items of a round, with a reason. */
export function Save({
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
