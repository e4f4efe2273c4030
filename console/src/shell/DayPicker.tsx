import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Popover, PopoverButton, PopoverPanel } from '@headlessui/react'
import { useNavigate } from '@tanstack/react-router'
import { useState } from 'react'
import { dayOf, fullDay, weekday } from '../shared/words'
import { useDay } from './day'
import { useMe } from './session'

/** The day at the top: every page can be read as of any past day. */
export function DayPicker() {
  const { day } = useDay()
  const me = useMe()
  const navigate = useNavigate()
  const today = dayOf(me.now)
  const first = me.first_revision_at ? dayOf(me.first_revision_at) : undefined
  const [wanted, setWanted] = useState('')
  const go = (to: string | undefined) => void navigate({ to: '.', search: (s: object) => ({ ...s, day: to }) })
  return (
    <Popover className="relative">
      <PopoverButton className={`border-b-2 px-0.5 py-1 font-semibold ${day ? 'border-brass text-brass' : 'border-ink'}`}>
        {day ? fullDay(day) : t`Today, ${weekday(today)}`} <span aria-hidden>▾</span>
      </PopoverButton>
      <PopoverPanel className="border-rule bg-sheet absolute right-0 z-30 mt-2 w-72 rounded-md border p-4">
        {({ close }) => (
          <form
            onSubmit={(e) => {
              e.preventDefault()
              go(wanted && wanted < today ? wanted : undefined)
              close()
            }}
          >
            <label htmlFor="day">
              <Trans>See everything as it was at the end of</Trans>
            </label>
            <input
              id="day"
              type="date"
              className="field mt-1"
              min={first}
              max={today}
              value={wanted || day || today}
              onChange={(e) => setWanted(e.target.value)}
            />
            <div className="mt-3 flex gap-2">
              <button type="submit" className="button">
                <Trans>Show this day</Trans>
              </button>
              {day && (
                <button
                  type="button"
                  className="button-quiet"
                  onClick={() => {
                    go(undefined)
                    close()
                  }}
                >
                  <Trans>Back to today</Trans>
                </button>
              )}
            </div>
            {first && (
              <p className="text-soft mt-2 text-sm">
                <Trans>The ledger begins on {fullDay(first)}.</Trans>
              </p>
            )}
          </form>
        )}
      </PopoverPanel>
    </Popover>
  )
}
