import { t } from '@lingui/core/macro'
import { useEffect, useState, type FunctionComponent } from 'react'
import { Loading } from '../shared/State'
import { noteAway } from './away'

/** A page whose script comes when it is first shown. While the service is away the console
 * stays, and asks again; where the script is gone, as after an upgrade, it is loaded anew. */
export function lazyPage(load: () => Promise<object>, name: string): FunctionComponent {
  let loaded: FunctionComponent | undefined
  return function Page() {
    const [Shown, setShown] = useState<FunctionComponent | undefined>(() => loaded)
    const [tries, setTries] = useState(0)
    useEffect(() => {
      if (Shown) return
      let gone = false
      const go = async () => {
        try {
          loaded = ((await load()) as Record<string, FunctionComponent>)[name]
          if (!gone) setShown(() => loaded)
        } catch {
          if (gone) return
          noteAway()
          const there = await fetch('/livez').then(
            (r) => r.ok,
            () => false,
          )
          if (there && tries > 1) window.location.reload()
          else if (!gone) setTries((n) => n + 1)
        }
      }
      const timer = setTimeout(() => void go(), tries === 0 ? 0 : 1000)
      return () => {
        gone = true
        clearTimeout(timer)
      }
    }, [Shown, tries])
    if (Shown) return <Shown />
    return <Loading what={t`the page`} />
  }
}
