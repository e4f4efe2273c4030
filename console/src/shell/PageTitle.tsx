import { t } from '@lingui/core/macro'
import { useEffect, useState } from 'react'

/** Gives the window the title of the page, and tells it to who hears the page. */
export function PageTitle() {
  const [title, setTitle] = useState('')
  useEffect(() => {
    const main = document.getElementById('main')
    if (!main) return
    const read = () => {
      const words = main.querySelector('h1')?.textContent?.trim() ?? ''
      document.title = words ? t`${words} · Able Roster` : t`Able Roster`
      setTitle(words)
    }
    read()
    const watch = new MutationObserver(read)
    watch.observe(main, { childList: true, subtree: true, characterData: true })
    return () => watch.disconnect()
  }, [])
  return (
    <p role="status" className="sr-only">
      {title}
    </p>
  )
}
