import { useQuery } from '@tanstack/react-query'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Named } from '../shared/Named'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { moment } from '../shared/words'

type Mail = Schemas['Mail']

const kinds = { invitation: 'Invitation', reset: 'New password', digest: 'News' }
const states = { waiting: 'waits', sent: 'sent', failed: 'failed', dropped: 'not sent' }

const columns: ListColumn<Mail>[] = [
  { key: 'made', label: 'When', value: (m) => m.made_at, show: (m) => <span className="whitespace-nowrap">{moment(m.made_at)}</span> },
  { key: 'kind', label: 'What', value: (m) => kinds[m.kind], choose: true },
  { key: 'to', label: 'To', value: (m) => m.user.label, show: (m) => <Named user={m.user} /> },
  { key: 'by', label: 'Because of', value: (m) => m.caused_by?.label ?? '', show: (m) => m.caused_by && <Named user={m.caused_by} /> },
  {
    key: 'state',
    label: 'State',
    value: (m) => states[m.state],
    show: (m) => (
      <span className={m.state === 'failed' ? 'text-brick font-semibold' : m.state === 'waiting' && m.tries > 0 ? 'text-brass' : ''}>
        {states[m.state]}
        {m.state === 'waiting' && m.tries > 0 && `, tried ${m.tries} times`}
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
  if (!mails.data) return <Loading what="the mails" />
  return (
    <>
      <Title list="mails">Mail</Title>
      <p className="text-soft mt-1 max-w-180">The last mails that were sent, or are to be. What they say is kept nowhere.</p>
      {mails.data.mails.length === 0 ? (
        <Empty>No mail was sent yet.</Empty>
      ) : (
        <ListTable what="mail" rows={mails.data.mails} columns={columns} id={(m) => String(m.id)} />
      )}
    </>
  )
}
