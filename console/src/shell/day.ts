import { useSearch } from '@tanstack/react-router'
import { dayOf, endOfDay } from '../shared/words'
import { useMe } from './session'

/** The day looked at: asOf goes with every question about access. */
export function useDay(): { day?: string; asOf?: string; past: boolean; now: Date } {
  const { day } = useSearch({ strict: false })
  const { time_zone: zone, now } = useMe()
  // What is no past day is no day to look at.
  if (!day || day >= dayOf(now) || endOfDay(day, zone) === '') return { past: false, now: new Date() }
  const asOf = endOfDay(day, zone)
  return { day, asOf, past: true, now: new Date(asOf) }
}
