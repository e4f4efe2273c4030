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
import { count, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'
import { SharedActs, stateWords } from './account/SharedAccounts'

type Account = Schemas['SharedAccount']

const tested = (a: Account) => (a.tested ? shortDay(a.tested) : a.emergency ? 'never' : '')

const columnsOf = (revision: number): ListColumn<Account>[] => [
  {
    key: 'account',
    label: 'Account',
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
  { key: 'kind', label: 'Kind', value: (a) => (a.emergency ? 'emergency' : 'shared'), choose: true },
  { key: 'custodian', label: 'Custodian', value: (a) => a.custodian?.label ?? 'nobody' },
  {
    key: 'group',
    label: 'Group',
    value: (a) => a.group.label,
    show: (a) => (
      <>
        {a.group.label}
        <div className="text-soft text-sm">for {count(a.max_hours, 'hour')} at most</div>
      </>
    ),
  },
  {
    key: 'state',
    label: 'State',
    value: (a) => stateWords(a),
    show: (a) => (
      <>
        <span className={a.state === 'overdue' ? 'text-brick' : ''}>{stateWords(a)}</span>
        {a.given?.reason && a.state !== 'free' && <span className="text-soft block text-sm">{a.given.reason}</span>}
      </>
    ),
  },
  { key: 'tested', label: 'Tested', value: tested },
  {
    key: 'acts',
    label: 'Next',
    value: () => '',
    show: (a) => (
      <span className="flex flex-wrap gap-x-4 gap-y-2">
        <SharedActs account={a} revision={revision} />
        {a.may.includes('edit') && (
          <AddPanel press label={`Edit ${a.user.label}`} name={`edit-${a.user.id}`}>
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
  if (!all.data) return <Loading what="the shared accounts" />
  const { accounts, revision } = all.data
  const writes = !past && !!me.may['users.update']
  return (
    <>
      <Title
        list="shared-accounts"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label="Share an account">{(done) => <Share revision={revision} done={done} />}</AddPanel>}
      >
        Shared accounts
      </Title>
      <p className="text-soft mt-1 max-w-180">
        Machine accounts that people use in turn. Somebody checks one out for a time and with a reason; its custodian gives out the secret,
        and changes it after each use. An emergency account is tested now and then.
      </p>
      {accounts.length === 0 && <Empty>No account is shared. Say what a machine account is for, and share it here.</Empty>}
      {accounts.length > 0 && (
        <ListTable
          what="shared account"
          rows={accounts}
          columns={columnsOf(revision)}
          id={(a) => a.user.id!}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((a) => a.may.includes('edit'))
                  return (
                    <EndPicked
                      what="shared account"
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
      aria-label={a ? `Edit ${a.user.label}` : 'Share an account'}
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
        sheet.add({ verb: 'Share', what: user.label, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      {!a && (
        <div>
          Machine account
          <PickBox
            label="Machine account to share"
            choices={(machines.data?.accounts ?? []).map((m) => ({ key: m.user.key!, label: m.user.label }))}
            value={user}
            onChange={setUser}
          />
        </div>
      )}
      <div>
        Custodian <span className="text-soft text-sm">who gives its secret out</span>
        <UserBox label="Custodian" value={x.custodian} onChange={(custodian) => setX({ ...x, custodian })} />
      </div>
      <div>
        Group <span className="text-soft text-sm">whose members may check it out</span>
        <PickBox
          label="Group whose members may check it out"
          choices={(groups.data?.groups ?? []).map((g) => ({ key: g.key, label: g.label }))}
          value={group}
          onChange={setGroup}
        />
      </div>
      <label>
        For so many hours at most
        <input type="number" min={1} className="field" value={x.hours} onChange={(e) => setX({ ...x, hours: e.target.value })} />
      </label>
      <label className="flex items-end gap-2 pb-2">
        <input type="checkbox" checked={x.emergency} onChange={(e) => setX({ ...x, emergency: e.target.checked })} />
        For emergencies alone
      </label>
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!user || !group || !x.custodian}>
        Add to change sheet
      </button>
    </form>
  )
}
