import { useLocation } from '@tanstack/react-router'
import { useCallback, useEffect, useMemo, useSyncExternalStore } from 'react'
import { useMe } from './session'

// What is not committed yet is kept for the one who is signed in: nobody else finds it. What
// is typed stays in this tab; what is kept for longer, in this browser.
const listeners = new Set<() => void>()
const tell = () => listeners.forEach((f) => f())
window.addEventListener('storage', tell)

function subscribe(f: () => void) {
  listeners.add(f)
  return () => void listeners.delete(f)
}

const draftKey = (user: string, name: string) => `draft ${user} ${name}`

/** Everything that is kept of a user and not committed, by its name. */
export function draftsOf(user: string): string[] {
  const begins = draftKey(user, '')
  return [sessionStorage, localStorage].flatMap((store) =>
    Object.keys(store)
      .filter((k) => k.startsWith(begins))
      .map((k) => k.slice(begins.length)),
  )
}

/** Throws away everything that is kept, of anybody. */
export function forgetDrafts() {
  for (const store of [sessionStorage, localStorage]) for (const k of Object.keys(store)) if (k.startsWith('draft ')) store.removeItem(k)
  tell()
}

export type Setter<T> = (next: T | ((was: T) => T)) => void

/** A value that is kept under a name until it is blank again: over pages, loads, and the end
 * of a session. In the tab, or in the browser. */
export function useDraft<T>(name: string, blank: T, where: 'tab' | 'browser' = 'tab'): [T, Setter<T>] {
  const me = useMe()
  const store = where === 'tab' ? sessionStorage : localStorage
  const key = draftKey(me.user.id!, name)
  const empty = JSON.stringify(blank)
  const raw = useSyncExternalStore(subscribe, () => store.getItem(key)) ?? empty
  const value = useMemo(() => JSON.parse(raw) as T, [raw])
  const set = useCallback<Setter<T>>(
    (next) => {
      const was = JSON.parse(store.getItem(key) ?? empty) as T
      const text = JSON.stringify(typeof next === 'function' ? (next as (was: T) => T)(was) : next)
      if (text === empty) store.removeItem(key)
      else store.setItem(key, text)
      tell()
    },
    [store, key, empty],
  )
  return [value, set]
}

/** What is typed into a form of the page that is shown: it is there again when one comes
 * back. */
export function useTyped<T>(name: string, blank: T): [T, Setter<T>] {
  const { pathname } = useLocation()
  return useDraft(`${pathname} ${name}`, blank)
}

/** What is altered of something that is there: only the fields that differ are kept, until
 * they are so. */
export function useEdited<T extends object>(name: string, now: T): [T, Setter<T>] {
  const [kept, keep] = useTyped<Partial<T>>(name, {})
  const same = (k: keyof T, of: Partial<T>) => JSON.stringify(of[k]) === JSON.stringify(now[k])
  const differing = (of: Partial<T>) => Object.fromEntries(Object.entries(of).filter(([k]) => !same(k as keyof T, of))) as Partial<T>
  const value = { ...now, ...kept }
  const stale = Object.keys(differing(kept)).length < Object.keys(kept).length
  useEffect(() => {
    if (stale) keep(differing(kept))
  })
  return [value, (next) => keep(differing(typeof next === 'function' ? next(value) : next))]
}
