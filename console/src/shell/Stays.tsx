/** What of a revision is not taken back, and why. */
export function Stays({ stays, problem }: { stays: string[]; problem?: { detail?: string } }) {
  if (stays.length === 0 && !problem) return null
  return (
    <div role="status" className="border-brass mt-2 border-l-3 pl-3 text-sm">
      {problem?.detail && <p>{problem.detail}</p>}
      {stays.map((s) => (
        <p key={s}>{s}</p>
      ))}
    </div>
  )
}
