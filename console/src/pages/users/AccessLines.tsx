import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { Link } from '@tanstack/react-router'
import { useMemo } from 'react'
import type { Schemas } from '../../api/client'
import { ListTable, type ListColumn } from '../../shared/ListTable'
import { Mark, markWords, type MarkName } from '../../shared/Mark'
import { Path } from '../../shared/Path'
import { PathText } from '../../shared/PathText'
import { Empty } from '../../shared/State'
import { moment, shortDay, times, until } from '../../shared/words'

type Line = Schemas['AccessLine'] & { place: number }

const columnsAt = (now: Date): ListColumn<Line>[] => [
  { key: 'app', label: t`Application`, value: (l) => l.application.label, choose: true },
  { key: 'actions', label: t`Action`, value: (l) => l.actions.join(', ') },
  {
    key: 'resource',
    label: t`Resource`,
    value: (l) => l.pattern,
    show: (l) => (
      <>
        <PathText path={l.pattern} />
        <Conditions own={l.own} schedule={l.schedule?.words} fences={l.fences} />
      </>
    ),
  },
  { key: 'through', label: t`Granted through`, value: through, show: (l) => <Through line={l} /> },
  {
    key: 'until',
    label: t`Until`,
    value: (l) => l.until ?? l.from ?? '',
    show: (l) => (
      <span className={l.until || l.from ? 'text-brass' : 'text-soft'} title={l.until ? moment(l.until) : undefined}>
        {l.ended ? (
          t`ended with the account`
        ) : l.when ? (
          times(l.when)
        ) : l.from && !l.now ? (
          t`from ${shortDay(l.from)}`
        ) : l.until ? (
          <>
            <Mark name="ends" /> <span className="font-semibold">{until(l.until, now)}</span>
          </>
        ) : (
          t`no end`
        )}
      </span>
    ),
  },
]

/** All that somebody can do, a line for each pattern, with why on demand. */
export function AccessLines({ lines, now, user }: { lines: Schemas['AccessLine'][]; now: Date; user?: string }) {
  const rows = useMemo(() => lines.map((l, place) => ({ ...l, place })), [lines])
  const day = now.getTime()
  const columns = useMemo(() => columnsAt(new Date(day)), [day])
  if (lines.length === 0)
    return (
      <Empty>
        <Trans>No access. Grant a role, or add the user to a group that holds one.</Trans>
      </Empty>
    )
  return (
    <ListTable
      what={t`line`}
      rows={rows}
      columns={columns}
      id={(l) => String(l.place)}
      plain={8}
      opener="through"
      detail={(l) => (
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
              <Trans>The address of this</Trans>
            </Link>
          )}
        </div>
      )}
    />
  )
}

/** On what a line holds, each with its mark and its word. */
function Conditions({ own, schedule, fences }: { own?: boolean; schedule?: string; fences?: string[] }) {
  return (
    <>
      {own && (
        <div className="text-soft text-sm">
          <Trans>
            <Mark name="own" /> only their own
          </Trans>
        </div>
      )}
      {schedule && (
        <div className="text-soft text-sm">
          <Mark name="scheduled" /> {schedule}
        </div>
      )}
      {(fences ?? []).map((f) => (
        <div key={f} className="text-brick text-sm">
          <Trans>
            <Mark name="fenced" /> not <PathText path={f} />, fenced
          </Trans>
        </div>
      ))}
    </>
  )
}

/** The first way to a line, in words. */
function through(line: Schemas['AccessLine']): string {
  const steps = line.paths[0]?.steps ?? []
  const role = steps.find((s) => s.kind === 'role')
  const name = line.through as MarkName
  if (name === 'group') return t`group ${steps.find((s) => s.kind === 'group')?.label ?? ''}`
  if (name === 'included') return t`${role?.label ?? ''}, included role`
  return name === 'direct' ? t`direct ${role?.label ?? ''}` : markWords[name]
}

function Through({ line }: { line: Schemas['AccessLine'] }) {
  const more = line.paths.length - 1
  return (
    <>
      <Mark name={line.through} /> {through(line)}
      {more > 0 && (
        <span className="text-soft font-normal">
          <Trans> and {plural(more, { one: '# other way', other: '# other ways' })}</Trans>
        </span>
      )}
    </>
  )
}
