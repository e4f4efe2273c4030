import { t } from '@lingui/core/macro'
import { scaleLinear, scaleTime } from 'd3-scale'
import { area, stack } from 'd3-shape'
import type { Schemas } from '../../api/client'
import { TimeAxis } from '../../shared/charts/Axis'
import { useWidth } from '../../shared/charts/useWidth'

type Point = Schemas['OverTimePoint']

const height = 200

/** People with access along the days, by how they have it, one above the other. */
export function OverTimeChart({ points, ways }: { points: Point[]; ways: readonly { key: string; fill: string }[] }) {
  const [ref, width] = useWidth<HTMLDivElement>()
  const x = scaleTime([new Date(points[0]!.at), new Date(points[points.length - 1]!.at)], [40, width - 8])
  const layers = stack<Point>()
    .keys(ways.map((w) => w.key))
    .value((p, key) => (p.ways as Record<string, number>)[key] ?? 0)(points)
  const most = Math.max(1, ...layers.flatMap((l) => l.map((d) => d[1])))
  const y = scaleLinear([0, most], [height, 8]).nice()
  const shape = area<[number, number]>()
    .x((_, i) => x(new Date(points[i]!.at)))
    .y0((d) => y(d[0]))
    .y1((d) => y(d[1]))
  return (
    <div ref={ref}>
      <svg
        width={width}
        height={height + 22}
        role="img"
        aria-label={t`People with access over time, by how they have it; the same as a table below`}
        className="mt-2 block"
      >
        <TimeAxis scale={x} height={height} most={Math.max(3, Math.floor(width / 80))} />
        {y.ticks(5).map((tick) => (
          <g key={tick} transform={`translate(0,${y(tick)})`} aria-hidden>
            <line x1={40} x2={width - 8} stroke="var(--rule)" />
            <text x={34} dy={4} textAnchor="end" fill="var(--soft)" fontSize="12">
              {tick}
            </text>
          </g>
        ))}
        {layers.map((l, i) => (
          <path key={l.key} d={shape(l as unknown as [number, number][]) ?? ''} fill={ways[i]!.fill} />
        ))}
      </svg>
    </div>
  )
}
