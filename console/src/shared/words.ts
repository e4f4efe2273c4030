import { differenceInCalendarDays, format, parseISO } from 'date-fns'

/** "Ends 30 Nov, in 6 days", seen from the day looked at. */
export function until(iso: string | undefined, now: Date): string {
  if (!iso) return 'no end'
  const end = parseISO(iso)
  const days = differenceInCalendarDays(end, now)
  const day = format(end, end.getFullYear() === now.getFullYear() ? 'd MMM' : 'd MMM yyyy')
  if (days < 0) return `ended ${day}`
  if (days === 0) return `${day}, today`
  if (days <= 60) return `${day}, ${days} ${days === 1 ? 'day' : 'days'}`
  return day
}

/** Members of several times: "until 3 Mar 2027, and from 9 Mar 2027 until 2 Apr 2027". */
export const times = (when: { from?: string; until?: string }[]) =>
  when
    .map((w) => [w.from && `from ${shortDay(w.from)}`, w.until && `until ${shortDay(w.until)}`].filter(Boolean).join(' ') || 'for good')
    .join(', and ')

export const shortDay = (iso: string) => format(parseISO(iso), 'd MMM yyyy')
export const moment = (iso: string) => format(parseISO(iso), 'd MMM yyyy, HH:mm')
export const fullDay = (day: string) => format(parseISO(day), 'd MMMM yyyy')

export function count(n: number, one: string, many = one + 's'): string {
  return `${n.toLocaleString('en')} ${n === 1 ? one : many}`
}

export function list(words: string[]): string {
  if (words.length < 2) return words.join('')
  return `${words.slice(0, -1).join(', ')} and ${words[words.length - 1]}`
}

/** A unit as people read it: "Marine / Pilotage". */
export function unitWords(unit: string | undefined): string {
  if (!unit) return ''
  return unit
    .split('/')
    .map((s) => s.charAt(0).toUpperCase() + s.slice(1))
    .join(' / ')
}

/** The last instant of a day in a time zone, as RFC 3339. */
export function endOfDay(day: string, zone: string): string {
  const next = new Date(`${day}T00:00:00Z`).getTime() + 86_400_000
  const shown = (t: number) => {
    const parts = new Intl.DateTimeFormat('en-CA', {
      timeZone: zone,
      hourCycle: 'h23',
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    }).formatToParts(t)
    const get = (type: string) => Number(parts.find((p) => p.type === type)?.value)
    return Date.UTC(get('year'), get('month') - 1, get('day'), get('hour'), get('minute'), get('second'))
  }
  let t = next
  for (let i = 0; i < 2; i++) t = next - (shown(t) - t) // twice, for the days clocks change
  return new Date(t - 1).toISOString()
}
