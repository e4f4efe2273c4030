import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { UserBox } from './UserBox'

/** What a rule says beforehand of users whom it adds, as it is typed. */
export type NewcomerInput = { unit: string; employment: string; company: string; sponsor: string; days: string }

/** The fields for it; whom says who they are, as in "whoever signs up". */
export function NewcomerFields({ whom, value: x, change }: { whom: string; value: NewcomerInput; change: (x: NewcomerInput) => void }) {
  const field = (name: 'unit' | 'employment' | 'company', label: string, hint: string) => (
    <label>
      {label}
      <input className="field" placeholder={hint} value={x[name]} onChange={(e) => change({ ...x, [name]: e.target.value })} />
    </label>
  )
  return (
    <>
      {field('unit', t`Unit of ${whom}`, 'engineering/dredging')}
      {field('employment', t`Employment type`, 'contractor')}
      {field('company', t`Company they work for`, '')}
      <div>
        <Trans>
          Sponsor <span className="text-soft text-sm">whom they report to</span>
          <UserBox label={t`Sponsor`} value={x.sponsor} onChange={(sponsor) => change({ ...x, sponsor })} />
        </Trans>
      </div>
      <label>
        <Trans>
          Last day so many days later <span className="text-soft text-sm">0: none</span>
        </Trans>
        <input type="number" min={0} className="field" value={x.days} onChange={(e) => change({ ...x, days: e.target.value })} />
      </label>
    </>
  )
}
