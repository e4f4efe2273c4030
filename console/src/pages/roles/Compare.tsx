import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { PickBox, type Choice } from '../../shared/PickBox'
import { Empty, Loading, Trouble } from '../../shared/State'
import { Things } from '../../shared/Things'
import { useDay } from '../../shell/day'
import { useRoleChoices } from '../users/choices'
import { ask } from '../../api/ask'

/** What a role gives that another does not, and the other way round. */
export function CompareRoles({ role: r }: { role: Schemas['Role'] }) {
  const { asOf } = useDay()
  const choices = useRoleChoices()
  const [other, setOther] = useState<Choice | null>(null)
  const comparison = useQuery({
    enabled: other !== null,
    ...ask('/api/v1/roles/{role}/comparison', { params: { path: { role: r.key }, query: { with: other?.key ?? '', as_of: asOf } } }),
  })
  const c = comparison.data
  return (
    <>
      <div className="mt-1 w-80">
        <PickBox label={t`Role to compare with`} choices={choices.filter((x) => x.key !== r.key)} value={other} onChange={setOther} />
      </div>
      {!other && (
        <Empty>
          <Trans>Choose another role to compare.</Trans>
        </Empty>
      )}
      {comparison.error && <Trouble error={comparison.error} />}
      {other && comparison.isPending && <Loading what={t`both roles`} />}
      {c && (
        <div className="mt-3 grid grid-cols-3 gap-5" aria-live="polite">
          <Things title={t`Only ${c.role.label}`} lines={c.only} ink="text-kelp" />
          <Things title={t`Only ${c.with.label}`} lines={c.only_other} ink="text-brick" />
          <Things title={t`Both`} lines={c.both} ink="text-soft" />
        </div>
      )}
    </>
  )
}
