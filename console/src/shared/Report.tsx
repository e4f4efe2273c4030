import { Trans } from '@lingui/react/macro'
import { useDay } from '../shell/day'

/** A report of access as a file: it prints well, and says of which revision it is. */
export function Report({ of, id }: { of: 'users' | 'roles' | 'revisions'; id: string }) {
  const { asOf } = useDay()
  const query = asOf && of !== 'revisions' ? `?as_of=${encodeURIComponent(asOf)}` : ''
  return (
    <a className="press print:hidden" href={`/api/v1/reports/${of}/${encodeURIComponent(id)}${query}`} download>
      <Trans>Report for an auditor</Trans>
    </a>
  )
}
