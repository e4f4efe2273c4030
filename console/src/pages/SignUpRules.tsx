import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { ask } from '../api/ask'
import type { Operation, Schemas } from '../api/client'
import { AddPanel } from '../shared/AddPanel'
import { EndPicked } from '../shared/EndPicked'
import { ListTable, type ListColumn } from '../shared/ListTable'
import { NewcomerFields } from '../shared/NewcomerFields'
import { Empty, Loading, Trouble } from '../shared/State'
import { Title } from '../shared/Title'
import { unitWords } from '../shared/words'
import { useDay } from '../shell/day'
import { useTyped } from '../shell/drafts'
import { useMe } from '../shell/session'
import { useSheet } from '../shell/sheet'

type Rule = Schemas['SignUpRule']

/** What a user is who signs up by a rule, in a few words each. */
function becomes(r: Rule): string[] {
  const out = [r.unit ? t`in ${unitWords(r.unit)}` : t`in no unit`]
  if (r.employment_type) out.push(r.employment_type)
  if (r.company) out.push(t`works for ${r.company}`)
  if (r.sponsor) out.push(t`reports to ${r.sponsor.label}`)
  if (r.days) out.push(t`for ${plural(r.days, { one: '# day', other: '# days' })}`)
  return out
}

const state = (r: Rule) => (r.ended ? 'ended' : r.rests ? 'rests' : t`in use`)

const columnsOf = (revision: number, writes: boolean): ListColumn<Rule>[] => [
  {
    key: 'domain',
    label: t`Mail domain`,
    value: (r) => r.domain,
    show: (r) => <strong className={r.ended ? 'text-soft' : ''}>{r.domain}</strong>,
  },
  {
    key: 'becomes',
    label: t`Whoever signs up is a user`,
    value: (r) => becomes(r).join('; '),
    show: (r) => (
      <ul>
        {becomes(r).map((w) => (
          <li key={w}>{w}</li>
        ))}
      </ul>
    ),
  },
  { key: 'by', label: t`Set by`, value: (r) => r.set_by.label },
  {
    key: 'state',
    label: t`State`,
    value: state,
    choose: true,
    show: (r) => (
      <>
        {state(r)}
        {r.rests && <span className="text-brick block text-sm">{r.rests}</span>}
      </>
    ),
  },
  {
    key: 'edit',
    label: t`Edit`,
    value: () => '',
    show: (r) =>
      writes &&
      !r.ended && (
        <AddPanel press label={t`Edit ${r.domain}`} name={`edit-${r.domain}`}>
          {(done) => <RuleForm rule={r} revision={revision} done={done} />}
        </AddPanel>
      ),
  },
]

/** Who may sign up by themselves, by the domain of their address. */
export function SignUpRulesPage() {
  const { asOf, past } = useDay()
  const me = useMe()
  const rules = useQuery(ask('/api/v1/sign-up-rules', { params: { query: { as_of: asOf } } }))
  const setUp = useQuery(ask('/api/v1/set-up'))
  if (rules.error) return <Trouble page error={rules.error} retry={() => void rules.refetch()} />
  if (!rules.data) return <Loading what={t`the sign-up rules`} />
  const { revision, rules: all } = rules.data
  const writes = !past && !!me.may['settings.update']
  return (
    <>
      <Title
        list="sign-up-rules"
        query={{ as_of: asOf }}
        more={writes && <AddPanel label={t`Add a rule`}>{(done) => <RuleForm revision={revision} done={done} />}</AddPanel>}
      >
        <Trans>Sign-up rules</Trans>
      </Title>
      <p className="text-soft mt-1 max-w-180">
        <Trans>
          Whoever has an address in one of these mail domains may sign up by themselves. A link is mailed to the address; by it they become
          a user, with what the default rules give to a user like that. They are added on the authority of whoever set the rule.
        </Trans>
      </p>
      {setUp.data && !setUp.data.mail && (
        <p className="border-brass mt-3 border-l-3 pl-3">
          <Trans>No mail is sent here, so nobody can sign up: no mail server is set.</Trans>
        </p>
      )}
      {all.length === 0 && (
        <Empty>
          <Trans>Nobody may sign up by themselves.</Trans>
        </Empty>
      )}
      {all.length > 0 && (
        <ListTable
          what={t`sign-up rule`}
          rows={all}
          columns={columnsOf(revision, writes)}
          id={(r) => r.id}
          acts={
            writes
              ? (picked, clear) => {
                  const standing = picked.filter((r) => !r.ended)
                  return (
                    <EndPicked
                      what={t`sign-up rule`}
                      standing={standing.map((r) => ({ ...r, label: r.domain }))}
                      operations={standing.map((r) => ({ op: 'end_sign_up_rule', sign_up_rule: r.domain }))}
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

function RuleForm({ rule: r, revision, done }: { rule?: Rule; revision: number; done: () => void }) {
  const sheet = useSheet()
  const start = {
    domain: r?.domain ?? '',
    unit: r?.unit ?? '',
    employment: r?.employment_type ?? '',
    company: r?.company ?? '',
    sponsor: r?.sponsor?.key ?? '',
    days: String(r?.days ?? 0),
  }
  const [x, setX] = useTyped(`Sign-up rule ${r?.domain ?? ''}`, start)
  return (
    <form
      aria-label={r ? t`Edit ${r.domain}` : t`Add a rule`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_sign_up_rule',
          domain: x.domain.trim(),
          unit: x.unit.trim(),
          employment_type: x.employment.trim(),
          company: x.company.trim(),
          sponsor: x.sponsor,
          days: Number(x.days),
        }
        sheet.add({ verb: t`Set`, what: t`the sign-up rule for ${operation.domain}`, operations: [operation] }, revision)
        setX(start)
        done()
      }}
    >
      <label>
        <Trans>Mail domain</Trans>
        <input
          className="field"
          placeholder={t`pilots.example`}
          disabled={!!r}
          value={x.domain}
          onChange={(e) => setX({ ...x, domain: e.target.value })}
        />
      </label>
      <NewcomerFields whom={t`whoever signs up`} value={x} change={(n) => setX({ ...x, ...n })} />
      <button type="submit" className="button col-start-1 justify-self-start" disabled={!x.domain.trim()}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
