import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQueries, useQuery, useQueryClient } from '@tanstack/react-query'
import { Link } from '@tanstack/react-router'
import { useState } from 'react'
import { answer, api, type Schemas } from '../../api/client'
import { keyOf } from '../../shared/key'
import { Trouble } from '../../shared/State'
import { useMe } from '../../shell/session'
import { ask, asked } from '../../api/ask'
import { useTyped } from '../../shell/drafts'

/** What the address of the list of users says of it. */
export type ListSearch = { q?: string; status?: string; unit?: string; group?: string; filter?: string; sort?: string; columns?: string }

const searchOf = (v: Schemas['SavedView']): ListSearch => ({ ...v.search, columns: v.columns?.length ? v.columns.join(',') : undefined })
const said = (s: ListSearch) =>
  [s.q, s.status, s.unit, s.group, s.filter, s.sort === 'name' ? undefined : s.sort, s.columns].map((x) => x ?? '').join('\n')

/** Views that were saved, each with how many it shows, and the saving of this one. */
export function Views({ search }: { search: ListSearch }) {
  const me = useMe()
  const client = useQueryClient()
  const views = useQuery(ask('/api/v1/views'))
  const all = views.data?.views ?? []
  const counts = useQueries({
    queries: all.map((v) => ({
      staleTime: 30_000,
      retry: false,
      ...ask('/api/v1/users', { params: { query: { ...v.search, limit: 1 } } }),
    })),
  })
  const [label, setLabel] = useTyped('Views label', '')
  const [shared, setShared] = useState(false)
  const [saving, setSaving] = useState(false)
  const [error, setError] = useState<unknown>()
  const chosen = all.find((v) => said(searchOf(v)) === said(search))
  const anything = said(search).trim() !== ''
  const done = async (work: Promise<unknown>) => {
    setError(undefined)
    try {
      await work
      setSaving(false)
      setLabel('')
    } catch (e) {
      setError(e)
    }
    await client.invalidateQueries(asked('/api/v1/views'))
  }
  const save = () => {
    const { columns, ...asked } = search
    const body = { label: label.trim(), shared, search: asked as Schemas['ViewSearch'], columns: columns?.split(',') }
    void done(answer(api.PUT('/api/v1/views/{view}', { params: { path: { view: keyOf(label) } }, body })))
  }
  if (all.length === 0 && !anything) return null
  return (
    <nav aria-label={t`Views`} className="mt-2">
      <ul className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
        <li>
          <Link to="/users" search={{}} className={anything ? 'press' : 'font-semibold'} aria-current={anything ? undefined : 'page'}>
            <Trans>Everybody</Trans>
          </Link>
        </li>
        {all.map((v, i) => (
          <li key={`${v.owner.id}/${v.key}`}>
            <Link
              to="/users"
              search={searchOf(v)}
              className={v === chosen ? 'font-semibold' : 'press'}
              aria-current={v === chosen ? 'page' : undefined}
              title={v.mine ? undefined : t`shared by ${v.owner.label}`}
            >
              {v.label}
            </Link>{' '}
            <span className="text-soft text-sm">
              {counts[i]?.data ? counts[i].data.total.toLocaleString('en') : counts[i]?.error ? t`cannot be read` : '…'}
              {v.shared && t` · shared`}
            </span>
          </li>
        ))}
        {anything && !chosen && !saving && (
          <li>
            <button type="button" className="press" onClick={() => setSaving(true)}>
              <Trans>Save this view</Trans>
            </button>
          </li>
        )}
        {chosen && (chosen.mine || me.may['settings.update']) && (
          <li>
            <button
              type="button"
              className="press text-sm"
              onClick={() => void done(answer(api.DELETE('/api/v1/views/{view}', { params: { path: { view: chosen.key } } })))}
            >
              <Trans>Remove “{chosen.label}”</Trans>
            </button>
          </li>
        )}
      </ul>
      {saving && anything && !chosen && (
        <form
          aria-label={t`Save this view`}
          className="mt-2 flex items-center gap-3"
          onSubmit={(e) => {
            e.preventDefault()
            save()
          }}
        >
          <input
            className="field max-w-72"
            aria-label={t`Name of the view`}
            placeholder={t`Name of the view`}
            autoFocus
            value={label}
            onChange={(e) => setLabel(e.target.value)}
          />
          {me.may['settings.update'] && (
            <label className="flex gap-2">
              <input type="checkbox" checked={shared} onChange={(e) => setShared(e.target.checked)} />
              <Trans> for everybody</Trans>
            </label>
          )}
          <button type="submit" className="button" disabled={!keyOf(label)}>
            <Trans>Save</Trans>
          </button>
          <button type="button" className="button-quiet" onClick={() => setSaving(false)}>
            <Trans>Cancel</Trans>
          </button>
        </form>
      )}
      {error !== undefined && <Trouble error={error} />}
    </nav>
  )
}
