import type { ScaleTime } from 'd3-scale'
import { dayOf } from '../words'

const months = 'Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec'.split(' ')

/** Says a tick of a time axis: the month, or the day where ticks are closer; the year with its first. */
function tickWords(at: Date, close: boolean): string {
  const [y, m, d] = dayOf(at).split('-').map(Number)
  if (close) return `${d} ${months[m! - 1]}`
  return m === 1 ? String(y) : months[m! - 1]!
}

/** The days along the foot of a picture, with lines up to its head. */
export function TimeAxis({ scale, height, most = 12 }: { scale: ScaleTime<number, number>; height: number; most?: number }) {
  const ticks = scale.ticks(most)
  const close = ticks.length > 1 && ticks[1]!.getTime() - ticks[0]!.getTime() < 27 * 86_400_000
  return (
    <g className="text-soft" aria-hidden>
      {ticks.map((t) => (
        <g key={t.getTime()} transform={`translate(${scale(t)},0)`}>
          <line y2={height} stroke="var(--rule)" />
          <text y={height + 15} textAnchor="middle" fill="currentColor" fontSize="12">
            {tickWords(t, close)}
          </text>
        </g>
      ))}
    </g>
  )
}
