import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Named } from '../shared/Named'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { lastDay, shortDay } from '../shared/words'
import { useDay } from '../shell/day'

type Share = Schemas['Share']

const most = 500

const resource = (x: Share) => x.resource ?? x.path

const columns: ListColumn<Share>[] = [
  {
    key: 'resource',
    label: t`Resource`,
    value: (x) => `${resource(x)}, ${x.user.label}`,
    show: (x) => (
      <>
        <strong>{resource(x)}</strong> <span className="text-soft font-mono text-sm">{x.path}</span>
        <div className="text-soft text-sm">{x.application.label}</div>
      </>
    ),
  },
  {
    key: 'role',
    label: t`Role`,
    value: (x) => x.role.label,
    show: (x) =>
      x.role.key ? (
        <Link to="/roles/$role" params={{ role: x.role.key }} className="press">
          {x.role.label}
        </Link>
      ) : (
        x.role.label
      ),
    choose: true,
  },
  { key: 'with', label: t`Shared with`, value: (x) => x.user.label, show: (x) => <Named user={x.user} /> },
  {
    key: 'by',
    label: t`Shared by`,
    value: (x) => x.shared_by?.label ?? '',
    show: (x) => x.shared_by && <Named user={x.shared_by} />,
    choose: true,
  },
  {
    key: 'since',
    label: t`Since`,
    value: (x) => x.given?.at ?? '',
    show: (x) => (
      <>
        {x.given && shortDay(x.given.at)}
        {x.until && (
          <div className="text-brass text-sm">
            <Trans>until {lastDay(x.until)}</Trans>
          </div>
        )}
      </>
    ),
  },
]

/** What is shared within single resources: by oneself, with oneself, and what one may read. */
export function SharesPage() {
  const { asOf } = useDay()
  const shares = useQuery(ask('/api/v1/shares', { params: { query: { as_of: asOf, limit: most } } }))
  if (shares.error) return <Trouble page error={shares.error} retry={() => void shares.refetch()} />
  if (!shares.data) return <Loading what={t`what is shared`} />
  const all = shares.data.shares
  const ends = all.some((x) => x.may_end)
  return (
    <>
      <Title list="shares" query={{ as_of: asOf }}>
        <Trans>Shares</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>In an application that offers it, whoever holds something can share it with others. A share ends with what is shared.</Trans>
        {shares.data.total > all.length &&
          t` These are the first ${all.length} of ${plural(shares.data.total, { one: '# share', other: '# shares' })}.`}
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>Nothing is shared by you, with you, or that you may see.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`share`}
          rows={all}
          columns={columns}
          id={(x) => x.assignment}
          acts={
            ends
              ? (picked, clear) => {
                  const mine = picked.filter((x) => x.may_end && x.user.id)
                  return (
                    <EndPicked
                      what={t`share`}
                      standing={mine.map((x) => ({ label: t`of ${resource(x)} with ${x.user.label}` }))}
                      operations={mine.map(endOf)}
                      revision={shares.data.revision}
                      clear={clear}
                    />
                  )
                }
              : undefined
          }
        />
      )}
    </>
  )
}

const endOf = (x: Share): Operation => ({
  op: 'end_shares',
  application: x.application.id!,
  path: x.path,
  role: x.role.id!,
  user: x.user.id!,
})
