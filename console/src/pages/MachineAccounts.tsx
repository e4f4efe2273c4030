import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { ask } from '../api/ask'
import { answer, api, type Operation, type Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { PickBox, type Choice } from '../shared/PickBox'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { UserBox } from '../shared/UserBox'
import { AttributeSource } from './AttributeSource'
import { list, moment, sentence, shortDay } from '../shared/words'
import { useDay } from '../shell/day'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Account = Schemas['MachineAccount']

const soon = (iso: string | undefined, now: Date) => iso !== undefined && new Date(iso).getTime() - now.getTime() < 14 * 24 * 60 * 60 * 1000

function columnsOf(now: Date, revision: number, writes: boolean, sources: boolean): ListColumn<Account>[] {
  return [
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
          <div className={a.purpose ? 'text-soft text-sm' : 'text-brick text-sm'}>{a.purpose ?? t`Nobody has said what it is for.`}</div>
          {a.acts_for_users && (
            <div className="text-soft text-sm">
              <Trans>May act for whoever is signed in to its application.</Trans>
            </div>
          )}
          {(a.attributes ?? a.overridable) && (
            <div className="text-soft text-sm">
              {sentence(
                t`${list([...(a.attributes ?? []), ...(a.overridable ?? [])].map((k) => k.replaceAll('_', ' ')))} of ${a.filter_words ?? t`every person`} come from it`,
              )}
            </div>
          )}
        </>
      ),
    },
    {
      key: 'accountable',
      label: t`Who is accountable`,
      value: (a) => list(a.accountable.map((u) => u.label)),
      show: (a) =>
        a.accountable.length < 2 ? (
          <span className="text-brick">{list(a.accountable.map((u) => u.label)) || t`nobody`}</span>
        ) : (
          list(a.accountable.map((u) => u.label))
        ),
    },
    { key: 'application', label: t`Works for`, value: (a) => a.application?.label ?? '', choose: true },
    {
      key: 'tokens',
      label: t`Tokens`,
      value: (a) => a.token_ends ?? '',
      show: (a) =>
        a.tokens === 0 ? (
          <span className="text-soft">
            <Trans>none</Trans>
          </span>
        ) : (
          <span className={soon(a.token_ends, now) ? 'text-brass font-semibold' : ''}>
            {plural(a.tokens, { one: '# token', other: '# tokens' })}, {a.token_ends ? t`until ${shortDay(a.token_ends)}` : t`without end`}
          </span>
        ),
    },
    { key: 'used', label: t`Last used`, value: (a) => a.last_used ?? '', show: (a) => (a.last_used ? shortDay(a.last_used) : '') },
    {
      key: 'edit',
      label: t`Edit`,
      value: () => '',
      show: (a) =>
        writes && (
          <span className="flex gap-3">
            <AddPanel press label={t`Describe ${a.user.label}`} name={`describe-${a.user.key}`}>
              {(done) => <Describe account={a} revision={revision} done={done} />}
            </AddPanel>
            {a.purpose && sources && (
              <AddPanel press label={t`Set what comes from ${a.user.label}`} name={`source-${a.user.key}`}>
                {(done) => <AttributeSource account={a} revision={revision} done={done} />}
              </AddPanel>
            )}
            <AddPanel press label={t`Rotate the tokens of ${a.user.label}`} name={`rotate-${a.user.key}`}>
              {() => <Rotate account={a} />}
            </AddPanel>
          </span>
        ),
    },
  ]
}

/** Machine accounts: what each is for, and who is accountable for it. */
export function MachineAccountsPage() {
  const { asOf, past, now } = useDay()
  const me = useMe()
  const accounts = useQuery(ask('/api/v1/machine-accounts', { params: { query: { as_of: asOf } } }))
  if (accounts.error) return <Trouble page error={accounts.error} retry={() => void accounts.refetch()} />
  if (!accounts.data) return <Loading what={t`the machine accounts`} />
  const all = accounts.data.accounts
  const bare = all.filter((a) => a.accountable.length < 2).length
  return (
    <>
      <Title list="machine-accounts" query={{ as_of: asOf }}>
        <Trans>Machine accounts</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        {bare > 0 && (
          <strong className="text-brick">
            <Trans>{plural(bare, { one: '# account', other: '# accounts' })} without two people who are accountable for it. </Trans>
          </strong>
        )}
        <Trans>Two people are accountable for each: when one leaves, their manager or the head of their unit follows.</Trans>
      </p>
      {all.length === 0 && (
        <Empty>
          <Trans>No machine account that you may see. Add a user of the kind “service”.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`machine account`}
          rows={all}
          columns={columnsOf(now, accounts.data.revision, !past && !!me.may['users.update'], !!me.may['settings.update'])}
          id={(a) => a.user.id!}
        />
      )}
    </>
  )
}

function Describe({ account: a, revision, done }: { account: Account; revision: number; done: () => void }) {
  const sheet = useSheet()
  const applications = useQuery(ask('/api/v1/applications'))
  const [purpose, setPurpose] = useState(a.purpose ?? '')
  const [one, setOne] = useState(a.accountable[0]?.key ?? '')
  const [other, setOther] = useState(a.accountable[1]?.key ?? '')
  const [app, setApp] = useState<Choice | null>(a.application?.key ? { key: a.application.key, label: a.application.label } : null)
  const [secret, setSecret] = useState(a.secret_at ?? '')
  const [acts, setActs] = useState(a.acts_for_users ?? false)
  return (
    <form
      aria-label={t`Describe ${a.user.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_machine_account',
          user: a.user.key!,
          purpose: purpose.trim(),
          accountable: [one, other],
          ...(app && { application: app.key }),
          ...(secret.trim() && { secret_at: secret.trim() }),
          ...(acts && app && { acts_for_users: true }),
        }
        sheet.add(
          { verb: t`Describe`, what: t`the machine account ${a.user.label}`, detail: purpose.trim(), operations: [operation] },
          revision,
        )
        done()
      }}
    >
      <label className="sm:col-span-2">
        <Trans>What it does</Trans>
        <textarea className="field" rows={2} value={purpose} onChange={(e) => setPurpose(e.target.value)} />
      </label>
      <div>
        <Trans>
          Who is accountable
          <UserBox label={t`Who is accountable`} value={one} onChange={setOne} />
        </Trans>
      </div>
      <div>
        <Trans>
          And who else is accountable
          <UserBox label={t`Who else is accountable`} value={other} onChange={setOther} />
        </Trans>
      </div>
      <div>
        <Trans>Application that it works for</Trans>
        <PickBox
          label={t`Application that it works for`}
          choices={(applications.data?.applications ?? []).map((x) => ({ key: x.key, label: x.label }))}
          value={app}
          onChange={setApp}
        />
      </div>
      <label>
        <Trans>
          Where its secret lies <span className="text-soft text-sm">never the secret itself</span>
        </Trans>
        <input className="field" value={secret} onChange={(e) => setSecret(e.target.value)} />
      </label>
      <label className="sm:col-span-2">
        <input type="checkbox" checked={acts && !!app} disabled={!app} onChange={(e) => setActs(e.target.checked)} />
        <Trans> May act for whoever is signed in to the application, within what both may</Trans>
      </label>
      <button type="submit" className="button justify-self-start" disabled={!purpose.trim() || !one || !other}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** Makes a token in the place of those there are, which end after an overlap; it is shown once. */
function Rotate({ account: a }: { account: Account }) {
  const queries = useQueryClient()
  const [days, setDays] = useState('90')
  const [overlap, setOverlap] = useState('7')
  const rotate = useMutation({
    mutationFn: () =>
      answer(
        api.POST('/api/v1/users/{user}/token-rotation', {
          params: { path: { user: a.user.key! } },
          body: { days: Number(days), overlap_days: Number(overlap) },
        }),
      ),
    onSuccess: () => queries.invalidateQueries(),
  })
  const made = rotate.data
  if (made)
    return (
      <div className="mt-3 space-y-3" role="status">
        <p>
          <Trans>This is the new token, good until {shortDay(made.token.expires_at!)}. It is shown now and never again.</Trans>
        </p>
        <p className="bg-wash rounded-md p-3 font-mono break-all select-all">{made.token.secret}</p>
        {a.secret_at && (
          <p>
            <Trans>Put it where its secret lies: {sentence(a.secret_at)}</Trans>
          </p>
        )}
        <p className="text-soft">
          {made.ending > 0
            ? t`${plural(made.ending, { one: '# token', other: '# tokens' })} of before: good until ${moment(made.ends_at)}.`
            : t`No other token of this account would have lasted longer.`}
        </p>
      </div>
    )
  return (
    <form
      aria-label={t`Rotate the tokens of ${a.user.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        rotate.mutate()
      }}
    >
      <p className="text-soft sm:col-span-2">
        <Trans>
          A new token is made at once, good for what the newest one is. Those of before end after the overlap, so that nothing stops
          meanwhile.
        </Trans>
      </p>
      <label>
        <Trans>Days that the new token lasts</Trans>
        <input type="number" min={1} max={366} required className="field" value={days} onChange={(e) => setDays(e.target.value)} />
      </label>
      <label>
        <Trans>Days that those of before are good beside it</Trans>
        <input type="number" min={0} max={90} required className="field" value={overlap} onChange={(e) => setOverlap(e.target.value)} />
      </label>
      {rotate.error && (
        <div className="sm:col-span-2">
          <Trouble error={rotate.error} />
        </div>
      )}
      <button type="submit" className="button justify-self-start" disabled={rotate.isPending}>
        <Trans>Make the new token</Trans>
      </button>
    </form>
  )
}
