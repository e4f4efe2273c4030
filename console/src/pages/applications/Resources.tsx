import { Trans } from '@lingui/react/macro'
import { plural, t } from '@lingui/core/macro'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Link } from '@tanstack/react-router'
import { useRef, useState } from 'react'
import type { Schemas } from '../../api/client'
import { AddPanel } from '../../shared/AddPanel'
import { PathText } from '../../shared/PathText'
import { Empty } from '../../shared/State'
import { useSheet } from '../../shell/sheet'
import { Compare } from './Compare'
import { useTyped } from '../../shell/drafts'

type Resource = Schemas['Resource']

/** The tree of what an application protects, and how to alter it. */
export function Resources({ application: a, writes }: { application: Schemas['Application']; writes: boolean }) {
  const [only, setOnly] = useState('')
  const [comparing, setComparing] = useState(false)
  const all = a.resources ?? []
  const wanted = only.trim().toLowerCase()
  const shown = wanted ? all.filter((r) => `${r.path} ${r.label ?? ''}`.toLowerCase().includes(wanted)) : all
  return (
    <>
      <div className="mt-1 mb-2 flex flex-wrap items-center gap-4">
        <input
          type="search"
          className="field max-w-64"
          aria-label={t`Only resources with this in their path`}
          placeholder={t`Path or name`}
          value={only}
          onChange={(e) => setOnly(e.target.value)}
        />
        {writes && (
          <>
            <AddPanel label={t`Add a resource`}>{(done) => <AddOne application={a} done={done} />}</AddPanel>
            <AddPanel label={t`Paste many resources`}>{(done) => <PasteMany application={a} done={done} />}</AddPanel>
            <button type="button" className="button-quiet" aria-expanded={comparing} onClick={() => setComparing(!comparing)}>
              <Trans>Compare with its own list</Trans>
            </button>
          </>
        )}
      </div>
      {comparing && <Compare application={a} />}
      {all.length <= 1 && (
        <Empty>
          <Trans>
            Only the application itself is registered. Add its screens, registers and reports, so that roles can give access to them.
          </Trans>
        </Empty>
      )}
      {shown.length === 0 && (
        <Empty>
          <Trans>No resource matches.</Trans>
        </Empty>
      )}
      {shown.length > 0 && <Tree application={a} resources={shown} writes={writes} />}
    </>
  )
}

function Tree({ application: a, resources, writes }: { application: Schemas['Application']; resources: Resource[]; writes: boolean }) {
  const box = useRef<HTMLDivElement>(null)
  // eslint-disable-next-line react-hooks/incompatible-library -- measured on every draw
  const virtual = useVirtualizer({ count: resources.length, getScrollElement: () => box.current, estimateSize: () => 38, overscan: 14 })
  return (
    <div ref={box} role="region" tabIndex={0} aria-label={t`Resources`} className="border-rule max-h-[62vh] overflow-y-auto border-y">
      <ul className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const r = resources[item.index]!
          const depth = r.path === '/' ? 0 : r.path.split('/').length
          return (
            <li
              key={r.id}
              ref={virtual.measureElement}
              data-index={item.index}
              className="border-rule absolute inset-x-0 border-b"
              style={{ transform: `translateY(${item.start}px)` }}
            >
              <div className="flex items-baseline gap-3 px-2 py-1.5">
                <span className="min-w-72 shrink-0" style={{ paddingLeft: `${depth * 1.1}rem` }}>
                  <Link
                    to="/applications/$application/holders"
                    params={{ application: a.key }}
                    search={{ path: r.path }}
                    className="press"
                    title={t`Who can do what here`}
                  >
                    <PathText path={r.path} />
                  </Link>
                </span>
                <span className="grow">
                  {r.label}
                  {r.retired && (
                    <span className="text-brass">
                      <Trans> · retired</Trans>
                    </span>
                  )}
                  {r.open && (
                    <span className="text-soft">
                      <Trans> · open: paths below need not be registered</Trans>
                    </span>
                  )}
                  {(r.addresses ?? []).length > 0 && <span className="text-soft font-mono text-sm"> {r.addresses!.join(' ')}</span>}
                </span>
                <span className="text-soft text-sm">{r.kind}</span>
                {writes && (
                  <AddPanel press label={t`Edit ${r.path}`} name={`edit-${r.path}`}>
                    {(done) => <Edit application={a} resource={r} done={done} />}
                  </AddPanel>
                )}
              </div>
            </li>
          )
        })}
      </ul>
    </div>
  )
}

function Edit({ application: a, resource: r, done }: { application: Schemas['Application']; resource: Resource; done: () => void }) {
  const sheet = useSheet()
  const now = {
    label: r.label ?? '',
    description: r.description ?? '',
    kind: r.kind ?? '',
    addresses: (r.addresses ?? []).join(' '),
    open: !!r.open,
    retired: !!r.retired,
  }
  const [x, setX] = useState(now)
  const changed: Record<string, unknown> = {}
  for (const k of ['label', 'description', 'kind', 'open', 'retired'] as const) if (x[k] !== now[k]) changed[k] = x[k]
  if (x.addresses !== now.addresses) changed.addresses = x.addresses.split(/\s+/).filter(Boolean)
  return (
    <form
      aria-label={t`Edit ${r.path}`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Edit`,
            what: r.path,
            detail: `${a.label}: ${Object.keys(changed).join(', ')}`,
            operations: [{ op: 'update_resource', application: a.key, path: r.path, ...changed }],
          },
          a.revision,
        )
        done()
      }}
    >
      <label>
        <Trans>Called</Trans>
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>Kind, in your own words</Trans>
        <input className="field" maxLength={64} value={x.kind} onChange={(e) => setX({ ...x, kind: e.target.value })} />
      </label>
      <label>
        <Trans>What it is</Trans>
        <input className="field" maxLength={2000} value={x.description} onChange={(e) => setX({ ...x, description: e.target.value })} />
      </label>
      <label>
        <Trans>Addresses it is served under</Trans>
        <input className="field font-mono" value={x.addresses} onChange={(e) => setX({ ...x, addresses: e.target.value })} />
      </label>
      <div className="sm:col-span-2 flex items-center gap-6">
        <label className="flex gap-2">
          <input type="checkbox" checked={x.open} onChange={(e) => setX({ ...x, open: e.target.checked })} />
          <Trans>Open: paths below need not be registered</Trans>
        </label>
        {r.path !== '/' && (
          <label className="flex gap-2">
            <input type="checkbox" checked={x.retired} onChange={(e) => setX({ ...x, retired: e.target.checked })} />
            <Trans>Retired, with everything below it</Trans>
          </label>
        )}
        <button type="submit" className="button ml-auto" disabled={Object.keys(changed).length === 0}>
          <Trans>Add to change sheet</Trans>
        </button>
      </div>
    </form>
  )
}

function AddOne({ application: a, done }: { application: Schemas['Application']; done: () => void }) {
  const sheet = useSheet()
  const empty = { path: '', label: '', kind: '', open: false }
  const [x, setX] = useTyped('AddOne x', empty)
  return (
    <form
      aria-label={t`Add a resource`}
      className="mt-3 grid gap-x-5 gap-y-3 sm:grid-cols-2"
      onSubmit={(e) => {
        e.preventDefault()
        const path = x.path.trim()
        sheet.add(
          {
            verb: t`Register`,
            what: path,
            detail: a.label,
            operations: [{ op: 'add_resource', application: a.key, path, label: x.label.trim(), kind: x.kind.trim(), open: x.open }],
          },
          a.revision,
        )
        setX({ ...empty, path: path.slice(0, path.lastIndexOf('/') + 1), kind: x.kind })
        done()
      }}
    >
      <label>
        <Trans>Path</Trans>
        <input
          className="field font-mono"
          placeholder={t`board/arrivals`}
          value={x.path}
          onChange={(e) => setX({ ...x, path: e.target.value })}
        />
      </label>
      <label>
        <Trans>Called</Trans>
        <input className="field" maxLength={200} value={x.label} onChange={(e) => setX({ ...x, label: e.target.value })} />
      </label>
      <label>
        <Trans>Kind</Trans>
        <input
          className="field"
          maxLength={64}
          placeholder={t`screen`}
          value={x.kind}
          onChange={(e) => setX({ ...x, kind: e.target.value })}
        />
      </label>
      <label className="flex gap-2 self-end pb-1.5">
        <input type="checkbox" checked={x.open} onChange={(e) => setX({ ...x, open: e.target.checked })} />
        <Trans>Open: paths below need not be registered</Trans>
      </label>
      <button type="submit" className="button col-start-1 justify-self-start" disabled={x.path.trim() === ''}>
        <Trans>Add to change sheet</Trans>
      </button>
    </form>
  )
}

/** One line: a path, and after a tab or two spaces what it is called. */
function read(text: string, there: Set<string>) {
  const lines = text
    .split('\n')
    .map((l) => l.trim())
    .filter(Boolean)
  const operations: { path: string; label: string }[] = []
  const again: string[] = []
  const seen = new Set(there)
  for (const l of lines) {
    const [path = '', label = ''] = l.split(/\t| {2,}/)
    if (seen.has(path)) {
      again.push(path)
      continue
    }
    // What lies above is registered with it.
    const parts = path.split('/')
    for (let i = 1; i < parts.length; i++) {
      const up = parts.slice(0, i).join('/')
      if (!seen.has(up)) {
        seen.add(up)
        operations.push({ path: up, label: '' })
      }
    }
    seen.add(path)
    operations.push({ path, label })
  }
  return { operations, again }
}

const most = 2000

function PasteMany({ application: a, done }: { application: Schemas['Application']; done: () => void }) {
  const sheet = useSheet()
  const [text, setText] = useTyped('PasteMany text', '')
  const there = new Set((a.resources ?? []).map((r) => r.path))
  const { operations, again } = read(text, there)
  return (
    <form
      aria-label={t`Paste many resources`}
      className="mt-3"
      onSubmit={(e) => {
        e.preventDefault()
        sheet.add(
          {
            verb: t`Register`,
            what: plural(operations.length, { one: '# resource', other: '# resources' }),
            detail: `${a.label}: ${operations
              .slice(0, 3)
              .map((o) => o.path)
              .join(', ')} …`,
            operations: operations.map((o) => ({ op: 'add_resource', application: a.key, path: o.path, label: o.label || undefined })),
          },
          a.revision,
        )
        setText('')
        done()
      }}
    >
      <label>
        <Trans>One path a line; after a tab what it is called</Trans>
        <textarea
          rows={14}
          className="field font-mono"
          value={text}
          onChange={(e) => setText(e.target.value)}
          placeholder={t`board	Berth board
board/arrivals	Arrivals`}
        />
      </label>
      <div className="mt-2 flex items-center gap-4">
        <button type="submit" className="button" disabled={operations.length === 0 || operations.length > most}>
          <Trans>Add to change sheet</Trans>
        </button>
        <span className="text-soft text-sm" aria-live="polite">
          {operations.length > 0 && t`${plural(operations.length, { one: '# resource', other: '# resources' })} to register`}
          {again.length > 0 && t`, ${again.length} already registered or listed twice: ${again.slice(0, 3).join(', ')}`}
          {operations.length > most && (
            <span className="text-brick">
              <Trans>. At most {most} at once. Use a roster file for more.</Trans>
            </span>
          )}
        </span>
      </div>
    </form>
  )
}
