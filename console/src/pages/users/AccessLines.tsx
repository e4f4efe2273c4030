import { Link } from '@tanstack/react-router'
import { Fragment, useState } from 'react'
import type { Schemas } from '../../api/client'
import { Mark, markWords, type MarkName } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { PathText } from '../../shared/PathText'
import { Empty } from '../../shared/State'
import { count, moment, shortDay, times, until } from '../../shared/words'

/** All that somebody can do, a line for each pattern, with why on demand. */
export function AccessLines({ lines, now, user }: { lines: Schemas['AccessLine'][]; now: Date; user?: string }) {
  const [open, setOpen] = useState<number>()
  if (lines.length === 0) return <Empty>No access. Grant a role, or add the user to a group that holds one.</Empty>
  return (
    <table className="register">
      <thead>
        <tr>
          <th>Application</th>
          <th>Action</th>
          <th>Resource</th>
          <th>Granted through</th>
          <th>Until</th>
        </tr>
      </thead>
      <tbody>
        {lines.map((l, i) => (
          <Fragment key={i}>
            <tr className={open === i ? 'bg-open [&>td]:border-b-0' : ''}>
              <td>{l.application.label}</td>
              <td>{l.actions.join(', ')}</td>
              <td>
                <PathText path={l.pattern} />
                <Conditions own={l.own} schedule={l.schedule?.words} fences={l.fences} />
              </td>
              <td>
                <button
                  type="button"
                  className="press text-left"
                  aria-expanded={open === i}
                  onClick={() => setOpen(open === i ? undefined : i)}
                >
                  <Through line={l} />
                </button>
              </td>
              <td className={l.until || l.from ? 'text-brass' : 'text-soft'} title={l.until ? moment(l.until) : undefined}>
                {l.ended ? (
                  'ended with the account'
                ) : l.when ? (
                  times(l.when)
                ) : l.from && !l.now ? (
                  `from ${shortDay(l.from)}`
                ) : l.until ? (
                  <>
                    <Mark name="ends" /> <span className="font-semibold">{until(l.until, now)}</span>
                  </>
                ) : (
                  'no end'
                )}
              </td>
            </tr>
            {open === i && (
              <tr className="bg-open">
                <td colSpan={5} className="pt-0!">
                  <div className="flex flex-col gap-2">
                    {l.paths.map((p, j) => (
                      <Path key={j} path={p} />
                    ))}
                    {user && !l.pattern.includes('*') && l.application.key && (
                      <Link
                        to="/users/$user"
                        params={{ user }}
                        search={{ tab: 'check', application: l.application.key, action: l.actions[0], path: l.pattern }}
                        className="press text-sm"
                      >
                        The address of this
                      </Link>
                    )}
                  </div>
                </td>
              </tr>
            )}
          </Fragment>
        ))}
      </tbody>
    </table>
  )
}

/** On what a line holds, each with its mark and its word. */
function Conditions({ own, schedule, fences }: { own?: boolean; schedule?: string; fences?: string[] }) {
  return (
    <>
      {own && (
        <div className="text-soft text-sm">
          <Mark name="own" /> only their own
        </div>
      )}
      {schedule && (
        <div className="text-soft text-sm">
          <Mark name="scheduled" /> {schedule}
        </div>
      )}
      {(fences ?? []).map((f) => (
        <div key={f} className="text-brick text-sm">
          <Mark name="fenced" /> not <PathText path={f} />, fenced
        </div>
      ))}
    </>
  )
}

function Through({ line }: { line: Schemas['AccessLine'] }) {
  const steps = line.paths[0]?.steps ?? []
  const groups = steps.filter((s) => s.kind === 'group')
  const role = steps.find((s) => s.kind === 'role')
  const more = line.paths.length - 1
  const name = line.through as MarkName
  const word =
    name === 'group'
      ? `group ${groups[0]?.label}`
      : name === 'included'
        ? `${role?.label}, included role`
        : name === 'direct'
          ? `direct ${role?.label}`
          : markWords[name]
  return (
    <>
      <Mark name={name} /> {word}
      {more > 0 && <span className="text-soft font-normal"> and {count(more, 'other way')}</span>}
    </>
  )
}
