import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { useQuery } from '@tanstack/react-query'
import { useId } from 'react'
import { ask } from '../api/ask'
import { useDay } from '../shell/day'
import { Answer } from './Answer'

export type May = { application?: string; action?: string; path?: string }

/** Asks whether somebody may do something, and why or why not. What is asked stands in the
 * address, so that it can be passed on. */
export function AskMay({
  user,
  asked,
  set,
  known = [],
}: {
  user: { key: string; label: string }
  asked: May
  set: (m: May) => void
  /** Applications that are known beside those that may be read. */
  known?: { key?: string; label: string }[]
}) {
  const id = useId()
  const { asOf } = useDay()
  const applications = useQuery(ask('/api/v1/applications', { params: { query: { as_of: asOf } } }))
  const one = useQuery({
    ...ask('/api/v1/applications/{application}', { params: { path: { application: asked.application ?? '' }, query: { as_of: asOf } } }),
    enabled: !!asked.application,
    retry: false,
  })
  const all = new Map<string, string>()
  for (const a of [...known, ...(applications.data?.applications ?? [])]) if (a.key) all.set(a.key, a.label)
  const actions = one.data?.actions.map((a) => a.key) ?? []
  return (
    <>
      <div className="mt-3 grid max-w-180 gap-x-5 gap-y-3 sm:grid-cols-3">
        <label>
          <Trans>Application</Trans>
          <select
            className="field"
            value={asked.application ?? ''}
            onChange={(e) => set({ application: e.target.value || undefined, action: undefined, path: undefined })}
          >
            <option value="">
              <Trans>choose</Trans>
            </option>
            {[...all].map(([key, label]) => (
              <option key={key} value={key}>
                {label}
              </option>
            ))}
          </select>
        </label>
        <label>
          <Trans>Action</Trans>
          <input
            className="field"
            list={`${id} actions`}
            autoComplete="off"
            value={asked.action ?? ''}
            onChange={(e) => set({ ...asked, action: e.target.value || undefined })}
          />
        </label>
        <label>
          <Trans>Resource</Trans>
          <input
            className="field font-mono"
            list={`${id} resources`}
            autoComplete="off"
            value={asked.path ?? ''}
            onChange={(e) => set({ ...asked, path: e.target.value || undefined })}
          />
        </label>
      </div>
      <datalist id={`${id} actions`}>
        {actions.map((a) => (
          <option key={a} value={a} />
        ))}
      </datalist>
      <datalist id={`${id} resources`}>
        {one.data?.resources?.slice(0, 500).map((r) => (
          <option key={r.path} value={r.path}>
            {r.label}
          </option>
        ))}
      </datalist>
      {asked.application && asked.action && asked.path && (
        <section aria-label={t`Answer`} className="mt-4">
          <Answer person={user.label} ask={{ user: user.key, application: asked.application, action: asked.action, path: asked.path }} />
        </section>
      )}
    </>
  )
}
