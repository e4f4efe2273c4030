import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Named } from '../shared/Named'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { moment } from '../shared/words'

type Mail = Schemas['Mail']

const kinds = { invitation: t`Invitation`, reset: t`New password`, digest: t`News` }
const states = { waiting: t`waits`, sent: t`sent`, failed: t`failed`, dropped: t`not sent` }

const columns: ListColumn<Mail>[] = [
  { key: 'made', label: t`When`, value: (m) => m.made_at, show: (m) => <span className="whitespace-nowrap">{moment(m.made_at)}</span> },
  { key: 'kind', label: t`What`, value: (m) => kinds[m.kind], choose: true },
  { key: 'to', label: t`To`, value: (m) => m.user.label, show: (m) => <Named user={m.user} /> },
  { key: 'by', label: t`Because of`, value: (m) => m.caused_by?.label ?? '', show: (m) => m.caused_by && <Named user={m.caused_by} /> },
  {
    key: 'state',
    label: t`State`,
    value: (m) => states[m.state],
    show: (m) => (
      <span className={m.state === 'failed' ? 'text-brick font-semibold' : m.state === 'waiting' && m.tries > 0 ? 'text-brass' : ''}>
        {states[m.state]}
        {m.state === 'waiting' && m.tries > 0 && t`, tried ${m.tries} times`}
        {m.said && <span className="text-soft block text-sm break-words">{m.said}</span>}
      </span>
    ),
    choose: true,
  },
]

/** The last mails, and what became of each. */
export function MailsPage() {
  const mails = useQuery({ ...ask('/api/v1/mails'), refetchInterval: 10_000 })
  if (mails.error) return <Trouble page error={mails.error} retry={() => void mails.refetch()} />
  if (!mails.data) return <Loading what={t`the mails`} />
  return (
    <>
      <Title list="mails">
        <Trans>Mail</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>The last mails that were sent, or are to be. What they say is kept nowhere.</Trans>
      </p>
      {mails.data.mails.length === 0 ? (
        <Empty>
          <Trans>No mail was sent yet.</Trans>
        </Empty>
      ) : (
        <ListTable what={t`mail`} rows={mails.data.mails} columns={columns} id={(m) => String(m.id)} />
      )}
    </>
  )
}
