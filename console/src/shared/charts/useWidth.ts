import { useEffect, useRef, useState } from 'react'

/** The width, in pixels, of the element that the reference is put on. */
export function useWidth<E extends HTMLElement>() {
  const ref = useRef<E>(null)
  const [width, setWidth] = useState(640)
  useEffect(() => {
    const element = ref.current
    if (!element) return
    const watch = new ResizeObserver(() => setWidth(Math.max(240, Math.floor(element.clientWidth))))
    watch.observe(element)
    return () => watch.disconnect()
  }, [])
  return [ref, width] as const
}
