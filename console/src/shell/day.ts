import { useSearch } from '@tanstack/react-router'
import { endOfDay } from '../shared/words'
import { useMe } from './session'

/** The day looked at: asOf goes with every question about access. */
export function useDay(): { day?: string; asOf?: string; past: boolean; now: Date } {
  const { day } = useSearch({ strict: false })
  const zone = useMe().time_zone
  if (!day) return { past: false, now: new Date() }
  const asOf = endOfDay(day, zone)
  return { day, asOf, past: true, now: new Date(asOf) }
}
