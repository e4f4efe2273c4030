import type { Problem } from '../../api/client'
import { count } from '../../shared/words'

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
    <section aria-label="What is wrong" role="alert" className="border-brick mt-5 border-l-3 pl-3">
      <div className="flex items-baseline justify-between">
        <h2>Nothing was changed: {count(faults.length, 'fault')}</h2>
        <button type="button" className="button-quiet" onClick={save}>
          Save the faults
        </button>
      </div>
      <table className="register mt-2">
        <thead>
          <tr>
            <th>Line</th>
            <th>Column</th>
            <th>What is wrong</th>
          </tr>
        </thead>
        <tbody>
          {faults.slice(0, 200).map((f, i) => (
            <tr key={i}>
              <td className="w-16">{f.line ?? ''}</td>
              <td className="w-48">{f.column ?? (f.line ? '' : f.place)}</td>
              <td>
                {f.message}
                {f.did_you_mean && <span className="text-soft"> — did you mean {f.did_you_mean.join(' or ')}?</span>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {faults.length > 200 && <p className="text-soft mt-1">and {faults.length - 200} more, in the file of faults.</p>}
    </section>
  )
}
