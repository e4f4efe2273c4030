import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { getRouteApi } from '@tanstack/react-router'
import { useState } from 'react'
import kinds from '../../../wire/operations.json'
import { ThingBox } from '../shared/ThingBox'
import { UserBox } from '../shared/UserBox'

const route = getRouteApi('/shell/ledger')

/** How changes come in, as the ledger has it. */
const ways = ['console', 'API', t`command line`, 'dated', t`identity provider`, 'set-up', 'host']

/** Chooses revisions: what is chosen stands in the address. */
export function LedgerFilters() {
  const search = route.useSearch()
  const navigate = route.useNavigate()
  const [reference, setReference] = useState(search.reference ?? '')
  const refer = () => reference.trim() !== (search.reference ?? '') && set({ reference: reference.trim() || undefined })
  const set = (to: Partial<typeof search>) => void navigate({ search: (s) => ({ ...s, ...to }) })
  const chosen = Object.values(search).filter((v) => v !== undefined).length - (search.day ? 1 : 0)
  const [kind, key] = search.about?.split(/:(.*)/) ?? []
  return (
    <details className="mt-3" open={chosen > 0 || undefined}>
      <summary>
        <Trans>Choose</Trans>
        {chosen > 0 && `: ${plural(chosen, { one: '# filter', other: '# filters' })}`}
      </summary>
      <div className="mt-2 grid max-w-220 gap-x-5 gap-y-3 sm:grid-cols-2 lg:grid-cols-3">
        <div>
          <Trans>
            Made by
            <UserBox label={t`Made by`} value={search.by ?? ''} onChange={(by) => set({ by: by || undefined })} />
          </Trans>
        </div>
        <div>
          <Trans>About</Trans>
          <ThingBox
            label={t`About`}
            kinds={['user', 'role', 'group']}
            value={kind && key ? { kind, key, label: key } : null}
            onChange={(thing) => set({ about: thing ? `${thing.kind}:${thing.key}` : undefined })}
          />
        </div>
        <form
          onSubmit={(e) => {
            e.preventDefault()
            refer()
          }}
        >
          <label>
            <Trans>Reference</Trans>
            <input
              className="field"
              maxLength={100}
              value={reference}
              placeholder={t`Such as a ticket number`}
              onChange={(e) => setReference(e.target.value)}
              onBlur={refer}
            />
          </label>
        </form>
        <label>
          <Trans>What was done</Trans>
          <select className="field" value={search.kind ?? ''} onChange={(e) => set({ kind: e.target.value || undefined })}>
            <option value="">
              <Trans>Anything</Trans>
            </option>
            {kinds.map((k) => (
              <option key={k.op} value={k.op}>
                {k.help.split(/[:;,]/)[0]}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Through</Trans>
          <select className="field" value={search.via ?? ''} onChange={(e) => set({ via: e.target.value || undefined })}>
            <option value="">
              <Trans>Any way</Trans>
            </option>
            {ways.map((w) => (
              <option key={w}>{w}</option>
            ))}
          </select>
        </label>
        <div className="flex gap-2">
          <label className="grow">
            <Trans>First day</Trans>
            <input type="date" className="field" value={search.first ?? ''} onChange={(e) => set({ first: e.target.value || undefined })} />
          </label>
          <label className="grow">
            <Trans>Last day</Trans>
            <input type="date" className="field" value={search.last ?? ''} onChange={(e) => set({ last: e.target.value || undefined })} />
          </label>
        </div>
      </div>
      {chosen > 0 && (
        <button
          type="button"
          className="press mt-2"
          onClick={() => {
            setReference('')
            void navigate({ search: (s) => ({ day: s.day }) })
          }}
        >
          <Trans>Show all</Trans>
        </button>
      )}
    </details>
  )
}
