import { useIsFetching, useIsMutating } from '@tanstack/react-query'
import { useEffect, useState } from 'react'

/** Shows, from a moment on, that something is under way. */
export function Busy() {
  const under = useIsFetching() + useIsMutating() > 0
  const [shown, setShown] = useState(false)
  useEffect(() => {
    const t = setTimeout(() => setShown(under), under ? 150 : 0)
    return () => clearTimeout(t)
  }, [under])
  return (
    <div aria-hidden data-busy={shown || undefined} className={`h-0.5 shrink-0 overflow-hidden ${shown ? '' : 'invisible'}`}>
      <div className="busy bg-harbour h-full w-1/4" />
    </div>
  )
}
