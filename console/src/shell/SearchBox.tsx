import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/react'
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { useNavigate } from '@tanstack/react-router'
import { useEffect, useRef, useState } from 'react'
import type { Schemas } from '../api/client'
import { keyOf } from '../shared/key'
import { pages } from './pages'
import { deedOf, plainDeeds, type Deed } from './deeds'
import { useMe } from './session'
import { ask } from '../api/ask'
import { tabLeadsOn } from '../shared/enter'

// Pages, revisions and requests are found beside what the service finds.
type Hit = Pick<Schemas['Hit'], 'id' | 'label' | 'key' | 'hint'> & {
  kind: Schemas['Hit']['kind'] | 'page' | 'revision' | 'request' | 'action'
  deed?: Deed
  /** Which panel of the page is opened. */
  add?: string
}

/** What the console itself knows under a text. */
function known(text: string, may: Record<string, boolean>): Hit[] {
  const wanted = text.trim().toLowerCase()
  if (wanted === '') return []
  const out: Hit[] = pages
    .flatMap((g) => g.pages.map((p) => ({ ...p, group: g.label })))
    .filter((p) => (p.register === '' || may[`${p.register}.read`]) && p.label.toLowerCase().startsWith(wanted))
    .map((p) => ({ id: `page ${p.to}`, key: p.to, label: p.label, hint: p.group, kind: 'page' }))
  for (const d of plainDeeds)
    if ((d.may === '' || may[d.may]) && d.label.toLowerCase().startsWith(wanted))
      out.push({
        id: `action ${d.label}`,
        key: d.to,
        label: d.label,
        kind: 'page',
        hint: t`action`,
        add: 'panel' in d ? keyOf(d.label) : undefined,
      })
  const number = /^(?:revision[ -]?)?(\d+)$/.exec(wanted)?.[1]
  if (number && may['ledger.read']) out.push({ id: `revision ${number}`, key: number, label: t`Revision ${number}`, kind: 'revision' })
  const request = /^(request-\d+)$/.exec(wanted)?.[1]
  if (request) out.push({ id: request, key: request, label: request, kind: 'request' })
  return out
}

const finding = (text: string) => ask('/api/v1/search', { params: { query: { q: text } } })

/** Finds anything by a few letters; "/" goes there from anywhere. */
export function SearchBox() {
  const [text, setText] = useState('')
  const box = useRef<HTMLInputElement>(null)
  const navigate = useNavigate()
  const me = useMe()
  const queries = useQueryClient()
  // A pointer that merely rests where the list opens chooses nothing.
  const [pointing, setPointing] = useState(false)
  useEffect(() => {
    const onMove = (e: PointerEvent) => {
      if (e.movementX !== 0 || e.movementY !== 0) setPointing(true)
    }
    document.addEventListener('pointermove', onMove)
    return () => document.removeEventListener('pointermove', onMove)
  }, [])
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
  const doing = deedOf(text, me.may)
  const wanted = doing?.rest ?? text
  const found = useQuery({ ...finding(wanted), enabled: text.trim() !== '', placeholderData: keepPreviousData })
  const go = (hit: Hit | null) => {
    if (!hit?.key) return
    setText('')
    box.current?.blur()
    if (hit.deed) {
      const search = { tab: hit.deed.tab }
      if (hit.deed.of === 'user') void navigate({ to: '/users/$user', params: { user: hit.key }, search })
      if (hit.deed.of === 'role') void navigate({ to: '/roles/$role', params: { role: hit.key }, search })
      return
    }
    if (hit.kind === 'page') void navigate({ to: hit.key, search: { add: hit.add } })
    if (hit.kind === 'revision') void navigate({ to: '/ledger/$revision', params: { revision: hit.key } })
    if (hit.kind === 'request') void navigate({ to: '/requests/$request', params: { request: hit.key } })
    if (hit.kind === 'user') void navigate({ to: '/users/$user', params: { user: hit.key } })
    if (hit.kind === 'group') void navigate({ to: '/groups/$group', params: { group: hit.key } })
    if (hit.kind === 'role') void navigate({ to: '/roles/$role', params: { role: hit.key } })
    if (hit.kind === 'application') void navigate({ to: '/applications/$application', params: { application: hit.key } })
  }
  const own = known(text, me.may)
  // With a verb before it, a name is somebody or something that it is done to.
  const doneTo = (all: Hit[]): Hit[] =>
    doing
      ? all
          .filter((h) => h.kind === doing.deed.of)
          .map((h) => ({ ...h, id: `${doing.deed.verb} ${h.id}`, label: doing.deed.words(h.label), kind: 'action', deed: doing.deed }))
      : []
  const hits: Hit[] =
    text.trim() === ''
      ? []
      : [
          ...own.filter((h) => h.kind !== 'page'),
          ...doneTo(found.data?.hits ?? []),
          ...(doing ? [] : (found.data?.hits ?? [])),
          ...own.filter((h) => h.kind === 'page'),
        ]
  // Those that read the same are told apart by their keys.
  const reads = (h: Hit) => `${h.label} ${h.hint ?? ''} ${h.kind}`
  const twins = new Set(hits.map(reads).filter((r, i, all) => all.indexOf(r) !== i))
  return (
    <Combobox<Hit | null> value={null} onChange={go}>
      <div className="relative w-full max-w-118 max-md:order-last max-md:max-w-none" {...tabLeadsOn}>
        <ComboboxInput
          ref={box}
          aria-label={t`Search for anyone or anything`}
          className="field bg-paper pr-9"
          placeholder={t`Search for anyone or anything`}
          value={text}
          onChange={(e) => {
            setText(e.target.value)
            setPointing(false)
          }}
          // Enter before the answer is there means its first hit, not what an
          // earlier letter found.
          onKeyDown={(e) => {
            if (e.key === 'Enter' && text.trim() !== '' && (found.isPending || found.isPlaceholderData)) {
              e.preventDefault()
              queries.fetchQuery(finding(wanted)).then(
                (f) => go(own.find((h) => h.kind !== 'page') ?? (doing ? doneTo(f.hits)[0] : f.hits[0]) ?? own[0] ?? null),
                () => undefined, // which the list says
              )
            }
          }}
          autoComplete="off"
        />
        <kbd aria-hidden className="border-rule bg-sheet text-soft absolute top-1.5 right-2 rounded border px-2 font-mono text-sm">
          /
        </kbd>
        <ComboboxOptions
          modal={false}
          className={`border-rule bg-sheet absolute top-full right-0 left-0 z-30 mt-1 max-h-96 overflow-auto rounded-md border py-1 empty:hidden ${pointing ? '' : 'pointer-events-none'}`}
        >
          {hits.map((h) => (
            <ComboboxOption key={h.id} value={h} className="data-focus:bg-open flex cursor-pointer justify-between gap-3 px-3 py-1.5">
              <span>
                {h.label} {twins.has(reads(h)) && <span className="font-mono text-sm">{h.key} </span>}
                {h.hint && <span className="text-soft text-sm">{h.hint}</span>}
              </span>
              <span className="text-soft text-sm">{h.kind}</span>
            </ComboboxOption>
          ))}
          {text.trim() !== '' && found.isPending && (
            <div className="text-soft px-3 py-1.5">
              <Trans>Searching …</Trans>
            </div>
          )}
          {text.trim() !== '' && found.isError && (
            <div className="text-soft px-3 py-1.5">
              <Trans>No answer came. It is asked again when the service is back.</Trans>
            </div>
          )}
          {text.trim() !== '' && found.isSuccess && hits.length === 0 && (
            <div className="text-soft px-3 py-1.5">
              <Trans>Nothing matches.</Trans>
            </div>
          )}
        </ComboboxOptions>
      </div>
    </Combobox>
  )
}
