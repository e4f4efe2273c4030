import { useMutation } from '@tanstack/react-query'
import { answer, api } from '../api/client'
import { RevisionRows } from '../shared/Revisions'
import { Trouble } from '../shared/State'
import { count } from '../shared/words'

/** Every change that was ever made. */
export function LedgerPage() {
  const verify = useMutation({ mutationFn: () => answer(api.POST('/api/v1/ledger/verification')) })
  return (
    <>
      <div className="flex items-baseline justify-between gap-4">
        <h1>Ledger</h1>
        <button type="button" className="button-quiet" disabled={verify.isPending} onClick={() => verify.mutate()}>
          {verify.isPending ? 'Verifying …' : 'Verify it'}
        </button>
      </div>
      <p className="text-soft mt-1">Every change, with who made it and why. Nothing is ever taken out; each revision is bound to the one before by its hash.</p>
      <div role="status">
        {verify.data?.verified && (
          <div className="border-kelp mt-3 border-l-3 pl-3">
            <p>{count(verify.data.revision, 'revision')} verified: every hash and every row fits.</p>
            <p className="font-mono text-sm break-all">{verify.data.hash}</p>
          </div>
        )}
        {verify.data && !verify.data.verified && (
          <p className="border-brick mt-3 border-l-3 pl-3">
            Revision {verify.data.first_fault} does not fit: {verify.data.fault}. Those before it do. Keep the database as it is and look at what touched it.
          </p>
        )}
      </div>
      {verify.error && <Trouble error={verify.error} />}
      <div className="mt-4">
        <RevisionRows query={{}} />
      </div>
    </>
  )
}
