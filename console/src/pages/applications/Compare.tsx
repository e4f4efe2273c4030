import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, api, type Operation, type Schemas } from '../../api/client'
import { Empty, Trouble } from '../../shared/State'
import { list, moment } from '../../shared/words'
import { useSheet } from '../../shell/sheet'
import { useTyped } from '../../shell/drafts'

/** How the application’s own list of what it has differs from what is registered. */
export function Compare({ application: a }: { application: Schemas['Application'] }) {
  const sheet = useSheet()
  const [text, setText] = useTyped('Compare text', '')
  const [asked, setAsked] = useState(true)
  const compare = useMutation({
    mutationFn: () =>
      answer(
        api.POST('/api/v1/applications/{application}/comparison', {
          params: { path: { application: a.key } },
          body: { asked, paths: text.split('\n').filter((l) => l.trim() !== '') },
        }),
      ),
  })
  const c = compare.data
  const register = (what: string, operations: Operation[]) =>
    sheet.add({ verb: t`Register`, what, detail: a.label, operations: operations }, c!.revision)
  return (
    <section aria-label={t`Compare with its own list`} className="bg-wash mb-3 rounded-md p-3">
      <form
        onSubmit={(e) => {
          e.preventDefault()
          compare.mutate()
        }}
      >
        <label>
          <Trans>The application’s own list of paths, one per line</Trans>
          <textarea rows={4} className="field font-mono" value={text} onChange={(e) => setText(e.target.value)} />
        </label>
        <div className="mt-2 flex items-center gap-5">
          <label className="flex gap-2">
            <input type="checkbox" checked={asked} onChange={(e) => setAsked(e.target.checked)} />
            <Trans>Include paths it asked about that are not registered</Trans>
          </label>
          <button type="submit" className="button" disabled={compare.isPending || (!asked && text.trim() === '')}>
            <Trans>Compare</Trans>
          </button>
        </div>
      </form>
      {compare.error && <Trouble error={compare.error} />}
      {c && (
        <div aria-live="polite" className="mt-3">
          {c.missing.length === 0 ? (
            <p className="text-kelp">
              <Trans>All paths are registered</Trans>
              {c.matching > 0 && ` (${plural(c.matching, { one: '# path', other: '# paths' })})`}.
            </p>
          ) : (
            <>
              <div className="flex items-baseline justify-between">
                <p>
                  <Trans>
                    <strong>{plural(c.missing.length, { one: '# path', other: '# paths' })} not registered.</strong> Access to them is
                    denied.
                  </Trans>
                </p>
                <button
                  type="button"
                  className="press"
                  onClick={() =>
                    register(plural(c.missing.length, { one: '# missing path', other: '# missing paths' }), c.operations ?? [])
                  }
                >
                  <Trans>Register all</Trans>
                </button>
              </div>
              <ul>
                {c.missing.map((m) => (
                  <li key={m.path} className="border-rule flex items-baseline justify-between gap-4 border-b py-1.5">
                    <span>
                      <span className="font-mono">{m.path}</span>
                      {m.times ? (
                        <span className="text-soft text-sm">
                          {' '}
                          <Trans>
                            asked about {plural(m.times, { one: '# time', other: '# times' })}, last {moment(m.last!)}
                          </Trans>
                        </span>
                      ) : null}
                      <span className="text-soft block text-sm">
                        {(m.sisters ?? []).length > 0 && t`Beside ${list((m.sisters ?? []).slice(0, 3))}. `}
                        {(m.roles ?? []).length > 0
                          ? t`Once registered, ${list((m.roles ?? []).map((r) => r.label))} would reach it.`
                          : t`No role would cover it yet.`}
                      </span>
                    </span>
                    <button
                      type="button"
                      className="press"
                      aria-label={t`Register ${m.path}`}
                      onClick={() => register(m.path, m.operations)}
                    >
                      <Trans>Register</Trans>
                    </button>
                  </li>
                ))}
              </ul>
            </>
          )}
          {(c.unlisted ?? []).length > 0 && (
            <p className="mt-2">
              <Trans>
                Registered, and not on the list: <span className="font-mono">{c.unlisted!.slice(0, 12).join(', ')}</span>
              </Trans>
              {c.unlisted!.length > 12 && t` and ${c.unlisted!.length - 12} more`}
              <Trans>. Retire what is gone.</Trans>
            </p>
          )}
          {c.missing.length === 0 && (c.unlisted ?? []).length === 0 && c.matching === 0 && (
            <Empty>
              <Trans>The application asked about no path that is not registered.</Trans>
            </Empty>
          )}
        </div>
      )}
    </section>
  )
}
