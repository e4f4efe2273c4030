import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useNavigate } from '@tanstack/react-router'
import { useEffect, useRef, useState } from 'react'
import { answer, api, type Schemas } from '../api/client'

type Hit = Schemas['Hit']

/** Finds anything by a few letters; "/" goes there from anywhere. */
export function FindBox() {
  const [text, setText] = useState('')
  const box = useRef<HTMLInputElement>(null)
  const navigate = useNavigate()
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement
      if (e.key === '/' && !e.ctrlKey && !e.metaKey && !/^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) {
        e.preventDefault()
        box.current?.focus()
      }
    }
    document.addEventListener('keydown', onKey)
    return () => document.removeEventListener('keydown', onKey)
  }, [])
  const found = useQuery({
    queryKey: ['find', text],
    enabled: text.trim() !== '',
    placeholderData: keepPreviousData,
    queryFn: () => answer(api.GET('/api/v1/find', { params: { query: { q: text } } })),
  })
  const go = (hit: Hit | null) => {
    if (!hit?.key) return
    setText('')
    box.current?.blur()
    if (hit.kind === 'user') void navigate({ to: '/users/$user', params: { user: hit.key } })
    if (hit.kind === 'group') void navigate({ to: '/groups/$group', params: { group: hit.key } })
    if (hit.kind === 'role') void navigate({ to: '/roles/$role', params: { role: hit.key } })
    if (hit.kind === 'application') void navigate({ to: '/applications/$application', params: { application: hit.key } })
  }
  const hits = text.trim() === '' ? [] : (found.data?.hits ?? [])
  return (
    <Combobox<Hit | null> value={null} onChange={go}>
      <div className="relative w-full max-w-118">
        <ComboboxInput
          ref={box}
          aria-label="Find anyone or anything"
          className="field bg-paper pr-9"
          placeholder="Find anyone or anything"
          value={text}
          onChange={(e) => setText(e.target.value)}
          autoComplete="off"
        />
        <kbd aria-hidden className="border-rule bg-sheet text-soft absolute top-1.5 right-2 rounded border px-2 font-mono text-sm">
          /
        </kbd>
        <ComboboxOptions
          modal={false}
          className="border-rule bg-sheet absolute top-full right-0 left-0 z-30 mt-1 max-h-96 overflow-auto rounded-md border py-1 empty:hidden"
        >
          {hits.map((h) => (
            <ComboboxOption key={h.id} value={h} className="data-focus:bg-open flex cursor-pointer justify-between gap-3 px-3 py-1.5">
              <span>
                {h.label} {h.hint && <span className="text-soft text-sm">{h.hint}</span>}
              </span>
              <span className="text-soft text-sm">{h.kind}</span>
            </ComboboxOption>
          ))}
          {text.trim() !== '' && found.isSuccess && hits.length === 0 && <div className="text-soft px-3 py-1.5">Nothing is called that.</div>}
        </ComboboxOptions>
      </div>
    </Combobox>
  )
}
