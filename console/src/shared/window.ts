import { dayBefore, endOfDay } from './words'

// "until" is exclusive: the first instant after the last day.
const after = (day: string, zone: string) => new Date(new Date(endOfDay(day, zone)).getTime() + 1).toISOString()

/** The window from a first day to a last day, both inclusive. */
export const windowOf = (t: { first: string; last: string }, zone: string) => ({
  from: t.first ? after(dayBefore(t.first), zone) : undefined,
  until: t.last ? after(t.last, zone) : undefined,
})
