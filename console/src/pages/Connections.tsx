import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../api/ask'
import type { Schemas } from '../api/client'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { moment } from '../shared/words'

type Connection = Schemas['Connection']

const speaks = { SCIM: t`Keeps people (SCIM)`, AuthZEN: t`Asks for decisions (AuthZEN)` }

const columns: ListColumn<Connection>[] = [
  { key: 'account', label: t`Account`, value: (c) => c.account.label },
  { key: 'standard', label: t`What it does`, value: (c) => speaks[c.standard], choose: true },
  {
    key: 'last',
    label: t`Last call`,
    value: (c) => c.last_at,
    show: (c) => (
      <>
        <span className="whitespace-nowrap">{moment(c.last_at)}</span>
        <span className="text-soft block font-mono text-sm break-all">{c.last_call}</span>
      </>
    ),
  },
  {
    key: 'refused',
    label: t`Last refused`,
    value: (c) => c.refused?.at ?? '',
    show: (c) =>
      c.refused ? (
        <>
          <span className="text-brick whitespace-nowrap">{moment(c.refused.at)}</span>
          <span className="text-soft block font-mono text-sm break-all">{c.refused.call}</span>
          <span className="block text-sm break-words">{c.refused.why}</span>
        </>
      ) : (
        <span className="text-soft">
          <Trans>nothing</Trans>
        </span>
      ),
  },
]

/** The accounts that speak an open standard with the service. */
export function ConnectionsPage() {
  const connections = useQuery(ask('/api/v1/connections'))
  if (connections.error) return <Trouble page error={connections.error} retry={() => void connections.refetch()} />
  if (!connections.data) return <Loading what={t`the connections`} />
  return (
    <>
      <h1>
        <Trans>Connections</Trans>
      </h1>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Accounts by which personnel systems and directories keep people here (SCIM), and applications ask for decisions (AuthZEN).
        </Trans>
      </p>
      {connections.data.connections.length === 0 ? (
        <Empty>
          <Trans>
            No account speaks SCIM or AuthZEN yet. Make a machine account with a token, and give its system the address of this service.
          </Trans>
        </Empty>
      ) : (
        <ListTable what={t`connection`} rows={connections.data.connections} columns={columns} id={(c) => `${c.account.id} ${c.standard}`} />
      )}
    </>
  )
}
