import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import type { Problem } from '../../api/client'

const quoted = (s: string) => `"${(/^[=+\-@\t\r]/.test(s) ? "'" : '') + s.replaceAll('"', '""')}"`

/** What is wrong with a file, by line, and as a file for whoever mends it. */
export function Faults({ problem }: { problem: Problem }) {
  const faults = problem.faults ?? []
  const save = () => {
    const lines = ['line,column,fault', ...faults.map((f) => [f.line ?? '', quoted(f.column ?? ''), quoted(f.message)].join(','))]
    const link = document.createElement('a')
    link.href = URL.createObjectURL(new Blob([lines.join('\r\n') + '\r\n'], { type: 'text/csv' }))
    link.download = 'faults.csv'
    link.click()
    URL.revokeObjectURL(link.href)
  }
  return (
    <section aria-label={t`What is wrong`} role="alert" className="border-brick mt-5 border-l-3 pl-3">
      <div className="flex items-baseline justify-between">
        <h2>
          <Trans>Nothing was changed: {plural(faults.length, { one: '# fault', other: '# faults' })}</Trans>
        </h2>
        <button type="button" className="button-quiet" onClick={save}>
          <Trans>Save the faults</Trans>
        </button>
      </div>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>
              <Trans>Line</Trans>
            </th>
            <th>
              <Trans>Column</Trans>
            </th>
            <th>
              <Trans>What is wrong</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {faults.slice(0, 200).map((f, i) => (
            <tr key={i}>
              <td className="w-16">{f.line ?? ''}</td>
              <td className="w-48">{f.column ?? (f.line ? '' : f.place)}</td>
              <td>
                {f.message}
                {f.did_you_mean && (
                  <span className="text-soft">
                    <Trans> — did you mean {f.did_you_mean.join(' or ')}?</Trans>
                  </span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {faults.length > 200 && (
        <p className="text-soft mt-1">
          <Trans>and {faults.length - 200} more, in the file of faults.</Trans>
        </p>
      )}
    </section>
  )
}
