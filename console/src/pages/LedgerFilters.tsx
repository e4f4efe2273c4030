import { getRouteApi } from '@tanstack/react-router'
import { useState } from 'react'
import kinds from '../../../wire/operations.json'
import { ThingBox } from '../shared/ThingBox'
import { UserBox } from '../shared/UserBox'
import { count } from '../shared/words'

const route = getRouteApi('/shell/ledger')

/** How changes come in, as the ledger has it. */
const ways = ['console', 'API', 'command line', 'dated', 'identity provider', 'set-up', 'host']

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
      <summary>Choose{chosen > 0 && `: ${count(chosen, 'filter')}`}</summary>
      <div className="mt-2 grid max-w-220 gap-x-5 gap-y-3 sm:grid-cols-2 lg:grid-cols-3">
        <div>
          Made by
          <UserBox label="Made by" value={search.by ?? ''} onChange={(by) => set({ by: by || undefined })} />
        </div>
        <div>
          About
          <ThingBox
            label="About"
            kinds={['user', 'role', 'group']}
            value={kind && key ? { kind, key, label: key } : null}
            onChange={(t) => set({ about: t ? `${t.kind}:${t.key}` : undefined })}
          />
        </div>
        <form
          onSubmit={(e) => {
            e.preventDefault()
            refer()
          }}
        >
          <label>
            Reference
            <input
              className="field"
              maxLength={100}
              value={reference}
              placeholder="Such as a ticket number"
              onChange={(e) => setReference(e.target.value)}
              onBlur={refer}
            />
          </label>
        </form>
        <label>
          What was done
          <select className="field" value={search.kind ?? ''} onChange={(e) => set({ kind: e.target.value || undefined })}>
            <option value="">Anything</option>
            {kinds.map((k) => (
              <option key={k.op} value={k.op}>
                {k.help.split(/[:;,]/)[0]}
              </option>
            ))}
          </select>
        </label>
        <label>
          Through
          <select className="field" value={search.via ?? ''} onChange={(e) => set({ via: e.target.value || undefined })}>
            <option value="">Any way</option>
            {ways.map((w) => (
              <option key={w}>{w}</option>
            ))}
          </select>
        </label>
        <div className="flex gap-2">
          <label className="grow">
            First day
            <input type="date" className="field" value={search.first ?? ''} onChange={(e) => set({ first: e.target.value || undefined })} />
          </label>
          <label className="grow">
            Last day
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
          Show all
        </button>
      )}
    </details>
  )
}
