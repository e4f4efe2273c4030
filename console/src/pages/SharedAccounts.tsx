import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { PickBox, type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { UserBox } from '../shared/UserBox'
import { shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { SharedActs, stateWords } from './account/SharedAccounts'

type Account = Schemas['SharedAccount']

const tested = (a: Account) => (a.tested ? shortDay(a.tested) : a.emergency ? t`never` : '')

const columnsOf = (revision: number): ListColumn<Account>[] => [
  {
    key: 'account',
    label: t`Account`,
    value: (a) => a.user.label,
    show: (a) => (
      <>
        <Link to="/users/$user" params={{ user: a.user.key! }} className="press">
          {a.user.label}
        </Link>{' '}
        <span className="text-soft font-mono text-sm">{a.user.key}</span>
        <div className="text-soft text-sm">{a.purpose}</div>
      </>
    ),
  },
  { key: 'kind', label: t`Kind`, value: (a) => (a.emergency ? t`emergency` : t`shared`), choose: true },
  { key: 'custodian', label: t`Custodian`, value: (a) => a.custodian?.label ?? t`nobody` },
  {
    key: 'group',
    label: t`Group`,
    value: (a) => a.group.label,
    show: (a) => (
      <>
        {a.group.label}
        <div className="text-soft text-sm">
          <Trans>for {plural(a.max_hours, { one: '# hour', other: '# hours' })} at most</Trans>
        </div>
      </>
    ),
  },
  {
    key: 'state',
    label: t`State`,
    value: (a) => stateWords(a),
    show: (a) => (
      <>
        <span className={a.state === 'overdue' ? 'text-brick' : ''}>{stateWords(a)}</span>
        {a.given?.reason && a.state !== 'free' && <span className="text-soft block text-sm">{a.given.reason}</span>}
      </>
    ),
  },
  { key: 'tested', label: t`Tested`, value: tested },
  {
    key: 'acts',
    label: t`Next`,
    value: () => '',
    show: (a) => (
      <span className="flex flex-wrap gap-x-4 gap-y-2">
        <SharedActs account={a} revision={revision} />
        {a.may.includes('edit') && (
          <AddPanel press label={t`Edit ${a.user.label}`} name={`edit-${a.user.id}`}>
            {(done) => <Share account={a} revision={revision} done={done} />}
          </AddPanel>
        )}
      </span>
    ),
  },
]

/** Accounts that people use in turn: who has each, and whether its secret was changed after use. */
export function SharedAccountsPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const all = useQuery(ask('/api/v1/shared-accounts', { params: { query: { as_of: asOf } } }))
  if (all.error) return <Trouble page error={all.error} retry={() => void all.refetch()} />
  if (!all.data) return <Loading what={t`the shared accounts`} />
  const { accounts, revision } = all.data
  const writes = !past && !!me.may['users.update']
  return (
    <>
      <Title
        list="shared-accounts"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Share an account`}>{(done) => <Share revision={revision} done={done} />}</AddPanel>}
      >
        <Trans>Shared accounts</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Machine accounts that people use in turn. Somebody checks one out for a time and with a reason; its custodian gives out the
          secret, and changes it after each use. An emergency account is tested now and then.
        </Trans>
      </p>
      {accounts.length === 0 && (
        <Empty>
          <Trans>No account is shared. Say what a machine account is for, and share it here.</Trans>
        </Empty>
      )}
      {accounts.length > 0 && (
        <ListTable
          what={t`shared account`}
          rows={accounts}
          columns={columnsOf(revision)}
          id={(a) => a.user.id!}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((a) => a.may.includes('edit'))
                  return (
                    <EndPicked
                      what={t`shared account`}
                      standing={standing.map((a) => ({ label: a.user.label }))}
                      operations={standing.map((a) => ({ op: 'end_shared_account', user: a.user.key! }))}
                      revision={revision}
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

function Share({ account: a, revision, done }: { account?: Account; revision: number; done: () => void }) {
  const sheet = useSheet()
  const machines = useQuery(ask('/api/v1/machine-accounts'))
  const groups = useQuery(ask('/api/v1/groups'))
  const start = { custodian: a?.custodian?.key ?? '', hours: String(a?.max_hours ?? 8), emergency: !!a?.emergency }
  const [x, setX] = useTyped(`Share ${a?.user.key ?? ''}`, start)
  const [user, setUser] = useTyped<Choice | null>(
    `Share account ${a?.user.key ?? ''}`,
    a ? { key: a.user.key!, label: a.user.label } : null,
  )
  const [group, setGroup] = useTyped<Choice | null>(
    `Share group ${a?.user.key ?? ''}`,
    a?.group.key ? { key: a.group.key, label: a.group.label } : null,
  )
  return (
    <form
      aria-label={a ? t`Edit ${a.user.label}` : t`Share an account`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        if (!user || !group) return
        const operation: Operation = {
          op: 'set_shared_account',
          user: user.key,
          custodian: x.custodian,
          group: group.key,
          max_hours: Number(x.hours),
          emergency: x.emergency,
        }
        sheet.add({ verb: t`Share`, what: user.label, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      {!a && (
        <div>
          <Trans>Machine account</Trans>
          <PickBox
            label={t`Machine account to share`}
            choices={(machines.data?.accounts ?? []).map((m) => ({ key: m.user.key!, label: m.user.label }))}
            value={user}
            onChange={setUser}
          />
        </div>
      )}
      <div>
        <Trans>
          Custodian <span className="text-soft text-sm">who gives its secret out</span>
          <UserBox label={t`Custodian`} value={x.custodian} onChange={(custodian) => setX({ ...x, custodian })} />
        </Trans>
      </div>
      <div>
        <Trans>
          Group <span className="text-soft text-sm">whose members may check it out</span>
        </Trans>
        <PickBox
          label={t`Group whose members may check it out`}
          choices={(groups.data?.groups ?? []).map((g) => ({ key: g.key, label: g.label }))}
          value={group}
          onChange={setGroup}
        />
      </div>
      <label>
        <Trans>For so many hours at most</Trans>
        <input type="number" min={1} className="field" value={x.hours} onChange={(e) => setX({ ...x, hours: e.target.value })} />
      </label>
      <label className="flex items-end gap-2 pb-2">
        <input type="checkbox" checked={x.emergency} onChange={(e) => setX({ ...x, emergency: e.target.checked })} />
        <Trans>For emergencies alone</Trans>
      </label>
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!user || !group || !x.custodian}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
