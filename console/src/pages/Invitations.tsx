import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import { answer, api, type Schemas } from '../api/client'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { moment, unitWords } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Invitation = Schemas['Invitation']

const mailWords = {
  none: t`not mailed`,
  waiting: t`waits to be sent`,
  sent: t`sent`,
  failed: t`could not be sent`,
  dropped: t`was not sent`,
}

const columns: ListColumn<Invitation>[] = [
  {
    key: 'name',
    label: t`Invited`,
    value: (x) => x.user.label,
    show: (x) => (
      <>
        <Link to="/users/$user" params={{ user: x.user.key! }} className="press">
          {x.user.label}
        </Link>{' '}
        <span className="text-soft font-mono text-sm">{x.user.key}</span>
        <div className="text-soft text-sm">{x.email ?? t`no e-mail address`}</div>
      </>
    ),
  },
  { key: 'unit', label: t`Unit`, value: (x) => unitWords(x.unit), choose: true },
  { key: 'by', label: t`By`, value: (x) => x.invited_by?.label ?? '' },
  {
    key: 'mail',
    label: t`Mail`,
    value: (x) => mailWords[x.mail],
    show: (x) => (
      <span className={x.mail === 'failed' ? 'text-brick' : x.mail === 'sent' ? '' : 'text-soft'}>
        {mailWords[x.mail]}
        {x.mailed_at && ` ${moment(x.mailed_at)}`}
        {x.said && <span className="block text-sm">{x.said}</span>}
      </span>
    ),
    choose: true,
  },
  {
    key: 'until',
    label: t`Good until`,
    value: (x) => x.expires_at ?? '',
    show: (x) => (x.expires_at ? moment(x.expires_at) : ''),
  },
]

/** Who was invited and has not taken it up. */
export function InvitationsPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const sheet = useSheet()
  const queries = useQueryClient()
  const invitations = useQuery(ask('/api/v1/invitations', { params: { query: { as_of: asOf } } }))
  const resend = useMutation({
    mutationFn: async (users: string[]) => {
      for (const user of users) await answer(api.POST('/api/v1/users/{user}/invitation', { params: { path: { user } } }))
    },
    onSettled: () => queries.invalidateQueries(),
  })
  if (invitations.error) return <Trouble page error={invitations.error} retry={() => void invitations.refetch()} />
  if (!invitations.data) return <Loading what={t`the invitations`} />
  const all = invitations.data.invitations
  return (
    <>
      <Title
        list="invitations"
        query={{ as_of: asOf }}
        more={
          !past &&
          me.may['users.create'] && (
            <Link to="/users/add" className="button">
              <Trans>Invite a user</Trans>
            </Link>
          )
        }
      >
        <Trans>Invitations</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Who was invited is active, and has what the invitation gives, once they have chosen a password by the link in the mail.
        </Trans>
      </p>
      {resend.error && <Trouble error={resend.error} />}
      {all.length === 0 && (
        <Empty>
          <Trans>Nobody is invited. Add a user as “invited”, and a link is mailed to them.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`invitation`}
          rows={all}
          columns={columns}
          id={(x) => x.user.id!}
          acts={
            past
              ? undefined
              : (picked, clear) => (
                  <>
                    <button
                      type="button"
                      className="button-quiet"
                      disabled={resend.isPending}
                      onClick={() => {
                        resend.mutate(picked.map((x) => x.user.key!))
                        clear()
                      }}
                    >
                      <Trans>Mail it again</Trans>
                    </button>
                    <button
                      type="button"
                      className="button-quiet"
                      onClick={() => {
                        for (const x of picked)
                          sheet.add(
                            {
                              verb: t`Withdraw`,
                              what: t`the invitation of ${x.user.label}`,
                              operations: [{ op: 'update_user', user: x.user.key!, status: 'departed' }],
                            },
                            invitations.data.revision,
                          )
                        clear()
                      }}
                    >
                      <Trans>Withdraw</Trans>
                    </button>
                  </>
                )
          }
        />
      )}
    </>
  )
}
