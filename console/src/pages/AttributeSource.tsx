import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useState } from 'react'
import type { Operation, Schemas } from '../api/client'
import { useSheet } from '../shell/sheet'
import { useAttributes } from './users/attributes'

type Account = Schemas['MachineAccount']
type Way = '' | 'attributes' | 'overridable'

/** What is no attribute that another system could say. */
const ours = ['user_name', 'kind', 'status']

/** Says which attributes of users come from a machine account. */
export function AttributeSource({ account: a, revision, done }: { account: Account; revision: number; done: () => void }) {
  const sheet = useSheet()
  const { builtIn, declared } = useAttributes()
  const all = [...builtIn.filter((x) => !ours.includes(x.key)), ...declared.filter((x) => !x.fill)]
  const [ways, setWays] = useState<Record<string, Way>>({
    ...Object.fromEntries((a.attributes ?? []).map((k) => [k, 'attributes' as const])),
    ...Object.fromEntries((a.overridable ?? []).map((k) => [k, 'overridable' as const])),
  })
  const [filter, setFilter] = useState(a.filter ?? '')
  const of = (way: Way) => all.map((x) => x.key).filter((k) => ways[k] === way)
  const [attributes, overridable] = [of('attributes'), of('overridable')]
  return (
    <form
      aria-label={t`Attributes that come from ${a.user.label}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const operation: Operation = {
          op: 'set_attribute_source',
          user: a.user.key!,
          attributes,
          overridable,
          ...(filter.trim() && { filter: filter.trim() }),
        }
        sheet.add(
          {
            verb: t`Set`,
            what: t`the attributes that come from ${a.user.label}`,
            detail: [...attributes, ...overridable.map((k) => t`${k} (may be changed here)`)].join(', ') || t`none`,
            operations: [operation],
          },
          revision,
        )
        done()
      }}
    >
      <p className="text-soft sm:col-span-2">
        <Trans>
          Nobody else can change what comes from this account. What may be changed here keeps its changed value until the account sends the
          same.
        </Trans>
      </p>
      {all.map((x) => (
        <label key={x.key}>
          {x.label}
          <select className="field" value={ways[x.key] ?? ''} onChange={(e) => setWays({ ...ways, [x.key]: e.target.value as Way })}>
            <option value="">
              <Trans>not from it</Trans>
            </option>
            <option value="attributes">
              <Trans>from it</Trans>
            </option>
            {!('personal' in x && x.personal) && (
              <option value="overridable">
                <Trans>from it; may be changed here</Trans>
              </option>
            )}
          </select>
        </label>
      ))}
      <label className="sm:col-span-2">
        <Trans>
          Users it is for <span className="text-soft text-sm">a filter over users; blank: every person</span>
        </Trans>
        <input
          className="field font-mono"
          placeholder={t`employment_type eq "staff"`}
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
      </label>
      <button type="submit" className="button justify-self-start">
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}
