import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { wouldDo } from '../../api/ask'
import type { Operation, Schemas } from '../../api/client'
import { useCommit } from '../../shared/commit'
import { Rails } from '../../shared/Rails'
import { Trouble } from '../../shared/State'
import { useTyped } from '../../shell/drafts'

/** Signs a round off, once nothing is left to decide on. */
export function SignOff({ round: r }: { round: Schemas['OneRound'] }) {
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
