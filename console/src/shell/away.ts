import { useSyncExternalStore } from 'react'

// While the service cannot be reached it is asked, every second, whether it is back.
let away = false
let back: () => void = () => undefined
const listeners = new Set<() => void>()

function set(now: boolean) {
  away = now
  listeners.forEach((f) => f())
}

/** What is done when the service is back. */
export const whenBack = (f: () => void) => {
  back = f
}

/** Notes that the service could not be reached. */
export function noteAway() {
  if (away) return
  set(true)
  const look = () =>
    void fetch('/livez').then(
      (r) => {
        if (!r.ok) return void setTimeout(look, 1000)
        set(false)
        back()
      },
      () => void setTimeout(look, 1000),
    )
  setTimeout(look, 1000)
}

/** Whether the service cannot be reached. */
export const useAway = () =>
  useSyncExternalStore(
    (f) => {
      listeners.add(f)
      return () => void listeners.delete(f)
    },
    () => away,
  )
