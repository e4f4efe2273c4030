import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { scaleTime } from 'd3-scale'
import { useState } from 'react'
import type { Schemas } from '../../api/client'
import { TimeAxis } from '../../shared/charts/Axis'
import { useWidth } from '../../shared/charts/useWidth'
import { lastDay, shortDay } from '../../shared/words'

type Span = Schemas['TimelineSpan']

export const wayWords: Record<Span['way'], string> = {
  direct: t`given directly`,
  request: t`requested`,
  share: t`shared`,
  default: t`by default`,
  group: t`through a group`,
}
const inks: Record<Span['way'], string> = {
  direct: 'var(--ink)',
  request: 'var(--harbour)',
  share: 'var(--brick)',
  default: 'var(--brass)',
  group: 'var(--kelp)',
}

const row = 26

/** Says one time in which a role was held, and what began it. */
export function spanWords(s: Span): string {
  return [
    t`${shortDay(s.from)} to ${s.until ? lastDay(s.until) : t`now, without an end`}: ${wayWords[s.way]}`,
    s.group && ` ${s.group.label}`,
    s.default && t`, rule ${s.default.label}`,
    s.given?.reason && `. ${s.given.by ? `${s.given.by.label}: ` : ''}${s.given.reason}`,
  ]
    .filter(Boolean)
    .join('')
}

/** The roles somebody held, along the days: what began each is told on press. */
export function TimelineChart({ life, now }: { life: Schemas['RoleTimeline']; now: Date }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const [told, setTold] = useState<{ role: string; span: Span }>()
  const names = Math.min(220, width * 0.32)
  const ends = life.roles.flatMap((r) => r.spans.flatMap((s) => (s.until ? [new Date(s.until).getTime()] : [])))
  const soon = now.getTime() + 366 * 86_400_000
  const last = Math.max(now.getTime() + 14 * 86_400_000, ...ends.filter((end) => end < soon))
  const scale = scaleTime([new Date(life.from), new Date(last)], [names, width - 8])
  const head = 18 // for "today"
  const height = head + life.roles.length * row + 6
  const at = (iso: string | undefined) => Math.max(names, Math.min(width - 8, scale(iso ? new Date(iso) : new Date(last))))
  return (
    <div ref={ref}>
      <svg
        width={width}
        height={height + 22}
        role="img"
        aria-label={t`Roles along the days; the same as a list below`}
        className="mt-3 block"
      >
        <TimeAxis scale={scale} height={height} most={Math.max(3, Math.floor((width - names) / 70))} />
        {life.roles.map((r, i) => (
          <g key={r.role.id ?? r.role.label} transform={`translate(0,${head + i * row + 4})`}>
            <text y={14} fill="var(--ink)" fontSize="13">
              <title>{`${r.role.label}${r.application ? `, ${r.application.label}` : ''}`}</title>
              {r.role.label.length > names / 7.4 ? `${r.role.label.slice(0, Math.floor(names / 7.4))}…` : r.role.label}
            </text>
            {r.spans.map((s, k) => (
              <rect
                key={k}
                x={at(s.from)}
                y={3}
                width={Math.max(3, at(s.until) - at(s.from))}
                height={14}
                rx={2}
                fill={inks[s.way]}
                opacity={s.until && new Date(s.until) <= now ? 0.55 : 1}
                stroke={told?.span === s ? 'var(--brick)' : 'none'}
                strokeWidth={2}
                className="cursor-pointer"
                onClick={() => setTold({ role: r.role.label, span: s })}
              >
                <title>{`${r.role.label}: ${spanWords(s)}`}</title>
              </rect>
            ))}
          </g>
        ))}
        <line x1={scale(now)} x2={scale(now)} y1={head - 2} y2={height} stroke="var(--brick)" strokeDasharray="3 3" aria-hidden />
        <text x={Math.min(scale(now), width - 22)} y={12} textAnchor="middle" fill="var(--brick)" fontSize="12" aria-hidden>
          <Trans>today</Trans>
        </text>
      </svg>
      <p aria-live="polite" className="min-h-6 text-sm">
        {told && (
          <>
            <strong>{told.role}</strong> {spanWords(told.span)}
          </>
        )}
      </p>
    </div>
  )
}
