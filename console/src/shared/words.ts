import { plural, t } from '@lingui/core/macro'
// Days are those of the organisation, wherever the browser stands.
const here = Intl.DateTimeFormat().resolvedOptions().timeZone
let zone = here

/** Has days and times be told in the time zone of the organisation. */
export const setZone = (name: string) => {
  zone = name
}

const months = t`Jan Feb Mar Apr May Jun Jul Aug Sep Oct Nov Dec`.split(' ')
const longMonths = t`January February March April May June July August September October November December`.split(' ')
const weekdays = t`Sun Mon Tue Wed Thu Fri Sat`.split(' ')

const formats = new Map<string, Intl.DateTimeFormat>()

/** How a clock in a time zone reads at an instant. */
function clock(at: Date, where: string): { day: string; time: string; seconds: string } {
  let f = formats.get(where)
  if (!f) {
    f = new Intl.DateTimeFormat('en-CA', {
      timeZone: where,
      hourCycle: 'h23',
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    })
    formats.set(where, f)
  }
  const p = Object.fromEntries(f.formatToParts(at).map((x) => [x.type, x.value]))
  return { day: `${p.year}-${p.month}-${p.day}`, time: `${p.hour}:${p.minute}`, seconds: p.second! }
}

const isDay = (s: string) => /^\d{4}-\d\d-\d\d$/.test(s)

/** The day, in the organisation, of an instant. */
export const dayOf = (at: Date | string) => (typeof at === 'string' && isDay(at) ? at : clock(new Date(at), zone).day)

/** Days from one day to another. */
const between = (from: string, to: string) => Math.round((Date.parse(`${to}T00:00:00Z`) - Date.parse(`${from}T00:00:00Z`)) / 86_400_000)

/** The day before a day. */
export const dayBefore = (day: string) => new Date(Date.parse(`${day}T00:00:00Z`) - 86_400_000).toISOString().slice(0, 10)

/** The same day of the month before, or its last. */
export function monthBefore(day: string): string {
  const [y, m, d] = day.split('-').map(Number)
  const last = new Date(Date.UTC(y!, m! - 1, 0)).getUTCDate()
  return new Date(Date.UTC(y!, m! - 2, Math.min(d!, last))).toISOString().slice(0, 10)
}

function words(day: string, names: string[], year = true): string {
  const [y, m, d] = day.split('-').map(Number)
  return `${d} ${names[m! - 1]}${year ? ` ${y}` : ''}`
}

/** Says whose time it is, where the browser's is another at that instant: ", Lisbon time". */
function whose(at: Date): string {
  const ours = clock(at, zone)
  const theirs = clock(at, here)
  if (ours.day === theirs.day && ours.time === theirs.time) return ''
  return t`, ${zone.slice(zone.lastIndexOf('/') + 1).replaceAll('_', ' ')} time`
}

/** The last day of what ends at an instant, "until" in the API: the day before, where that is
 * midnight; otherwise the time is told too. */
export function lastDay(until: string): string {
  const at = new Date(until)
  const c = clock(at, zone)
  if (c.time !== '00:00' || c.seconds !== '00') return `${words(c.day, months)}, ${c.time}${whose(at)}`
  return words(dayBefore(c.day), months) + whose(at)
}

/** "30 Nov, 6 days": the last day of what ends at an instant, seen from the day looked at. */
export function until(iso: string | undefined, now: Date): string {
  if (!iso) return t`no end`
  const c = clock(new Date(iso), zone)
  const last = c.time === '00:00' && c.seconds === '00' ? dayBefore(c.day) : c.day
  const today = dayOf(now)
  const days = between(today, last)
  const day = words(last, months, last.slice(0, 4) !== today.slice(0, 4)) + whose(new Date(iso))
  if (days < 0 || new Date(iso) <= now) return t`ended ${day}`
  if (days === 0) return t`${day}, today`
  if (days <= 60) return t`${day}, ${plural(days, { one: '# day', other: '# days' })}`
  return day
}

/** Members of several times: "until 3 Mar 2027, and from 9 Mar 2027 until 2 Apr 2027". */
export const times = (when: { from?: string; until?: string }[]) =>
  when
    .map((w) => [w.from && t`from ${shortDay(w.from)}`, w.until && t`until ${lastDay(w.until)}`].filter(Boolean).join(' ') || t`for good`)
    .join(', and ')

/** A day, or the day of an instant. */
export function shortDay(iso: string): string {
  return words(dayOf(iso), months)
}
export const moment = (iso: string) => `${shortDay(iso)}, ${clock(new Date(iso), zone).time}${whose(new Date(iso))}`
export const fullDay = (day: string) => words(day, longMonths)
/** "Sat 28 Nov 2026". */
export const weekday = (day: string) => `${weekdays[new Date(`${day}T00:00:00Z`).getUTCDay()]} ${words(day, months)}`

export function count(n: number, one: string, many = one + 's'): string {
  return `${n.toLocaleString('en')} ${n === 1 ? one : many}`
}

export function list(words: string[]): string {
  if (words.length < 2) return words.join('')
  return t`${words.slice(0, -1).join(', ')} and ${words[words.length - 1]!}`
}

/** The first four of some names, and how many more there are. */
export function enough(names: string[]): string {
  return `${names.slice(0, 4).join(', ')}${names.length > 4 ? t` and ${names.length - 4} more` : ''}`
}

/** A unit as people read it: "Marine / Pilotage". */
export function unitWords(unit: string | undefined): string {
  if (!unit) return ''
  return unit
    .split('/')
    .map((s) => s.charAt(0).toUpperCase() + s.slice(1))
    .join(' / ')
}

/** The instant at which clocks in a time zone show a day and a time, HH:MM. */
export function instantOf(day: string, time: string, zone: string): string {
  const meant = Date.parse(`${day}T${time}:00Z`)
  const shown = (value: number) => {
    const c = clock(new Date(value), zone)
    return Date.parse(`${c.day}T${c.time}:${c.seconds}Z`)
  }
  if (Number.isNaN(meant)) return ''
  let value = meant
  for (let i = 0; i < 2; i++) value = meant - (shown(value) - value) // twice, for the days clocks change
  return new Date(value).toISOString()
}

/** The first instant of a day in a time zone, in milliseconds: where clocks leave out midnight,
 * as they go on; where they show it twice, the first. */
function beginning(day: string, zone: string): number {
  const value = Date.parse(instantOf(day, '00:00', zone))
  const is = (at: number) => clock(new Date(at), zone).day >= day
  if (Number.isNaN(value) || (is(value) && !is(value - 3_600_000))) return value
  let [from, to] = [value - 4 * 3_600_000, value + 4 * 3_600_000]
  while (to - from > 1000) {
    const middle = from + Math.floor((to - from) / 2000) * 1000
    if (is(middle)) to = middle
    else from = middle
  }
  return to
}

/** The day and the time that clocks in a time zone show at an instant. */
export const zoned = (iso: string, zone: string) => clock(new Date(iso), zone)

/** The last instant of a day in a time zone, as RFC 3339; nothing where there is no such day. */
export function endOfDay(day: string, zone: string): string {
  const next = new Date(`${day}T00:00:00Z`).getTime() + 86_400_000
  if (Number.isNaN(next)) return ''
  return new Date(beginning(new Date(next).toISOString().slice(0, 10), zone) - 1).toISOString()
}

/** What a freeze is about. */
export function frozenWords(f: { applications?: { label: string }[]; units?: string[] }): string {
  return (
    list([...(f.applications ?? []).map((a) => a.label), ...(f.units ?? []).map((u) => t`people in ${unitWords(u)}`)]) || t`all changes`
  )
}

/** Words as a sentence of their own. */
export const sentence = (words: string) => words.charAt(0).toUpperCase() + words.slice(1).replace(/\.?$/, '.')
