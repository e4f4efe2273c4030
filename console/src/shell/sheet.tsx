import { createContext, useContext, useMemo, useState, type ReactNode } from 'react'
import type { Operation } from '../api/client'
import { useDraft } from './drafts'

/** One thing on the change sheet: an operation and how it reads. */
export type Line = {
  id: string
  verb: string
  what: string
  detail?: string
  operations: Operation[]
  /** It was opened and mended: it reads as the service tells it. */
  mended?: boolean
  /** The pending change of somebody else that this line makes. */
  pending?: { id: string; reason: string }
}

type Sheet = {
  lines: Line[]
  basedOn: number
  reason: string
  setReason: (reason: string) => void
  /** Where the work was asked for. */
  reference: string
  setReference: (reference: string) => void
  open: boolean
  setOpen: (open: boolean) => void
  add: (line: Omit<Line, 'id'>, revision: number) => void
  /** Adds several at once. */
  load: (lines: Omit<Line, 'id'>[], revision: number) => void
  /** What was to be added and is there already. */
  twice?: string
  remove: (...ids: string[]) => void
  /** Has a line do something else. */
  mend: (id: string, operations: Operation[]) => void
  /** Has a line be made before the one that stands before it. */
  earlier: (id: string) => void
  clear: () => void
  /** Throws the sheet away; it can be brought back until the next line is added. */
  discard: () => void
  discarded?: Kept
  bringBack: () => void
  forget: () => void
  /** What has moved since has been seen, up to this revision. */
  seen: (revision: number) => void
}

const SheetContext = createContext<Sheet | null>(null)

type Kept = { lines: Line[]; basedOn: number; reason: string; reference?: string }

const blank: Kept = { lines: [], basedOn: 0, reason: '', reference: '' }

/** Where there is no room beside the page, for text as large as the reader has it, the sheet is folded to a bar
 * until it is opened. */
const hasRoom = () => window.matchMedia('(min-width: 69em)').matches

/** Keeps the sheet of whoever is signed in over page loads, in this tab alone. */
export function SheetProvider({ children }: { children: ReactNode }) {
  const [kept, keep] = useDraft('sheet', blank)
  const [discarded, setDiscarded] = useDraft<Kept | null>('sheet discarded', null)
  const [open, setOpen] = useState(hasRoom)
  const [twice, setTwice] = useState<string>()
  const sheet = useMemo<Sheet>(() => {
    const load = (more: Omit<Line, 'id'>[], revision: number) => {
      const does = (l: Omit<Line, 'id'>) => JSON.stringify(l.operations)
      const there = new Set(kept.lines.map(does))
      const fresh = more.filter((l) => !there.has(does(l)))
      setTwice(fresh.length < more.length ? more.find((l) => !fresh.includes(l))!.what : undefined)
      setOpen((was) => was || hasRoom())
      if (fresh.length === 0) return
      setDiscarded(null)
      keep((was) => ({
        ...was,
        lines: [...was.lines, ...fresh.map((l) => ({ ...l, id: crypto.randomUUID() }))],
        basedOn: was.lines.length === 0 ? revision : Math.min(was.basedOn, revision),
      }))
    }
    return {
      ...kept,
      open,
      setOpen,
      setReason: (reason) => keep((was) => ({ ...was, reason })),
      reference: kept.reference ?? '',
      setReference: (reference) => keep((was) => ({ ...was, reference })),
      add: (line, revision) => load([line], revision),
      load,
      twice,
      remove: (...ids) => {
        setTwice(undefined)
        keep((was) => ({ ...was, lines: was.lines.filter((l) => !ids.includes(l.id)) }))
      },
      mend: (id, operations) =>
        keep((was) => ({ ...was, lines: was.lines.map((l) => (l.id === id ? { ...l, operations, mended: true } : l)) })),
      earlier: (id) =>
        keep((was) => {
          const i = was.lines.findIndex((l) => l.id === id)
          if (i < 1) return was
          const lines = [...was.lines]
          lines.splice(i - 1, 2, lines[i]!, lines[i - 1]!)
          return { ...was, lines }
        }),
      clear: () => {
        setTwice(undefined)
        keep(blank)
      },
      discard: () => {
        setTwice(undefined)
        setDiscarded(kept)
        keep(blank)
      },
      discarded: discarded ?? undefined,
      bringBack: () => {
        if (discarded) keep(discarded)
        setDiscarded(null)
        setOpen(true)
      },
      forget: () => setDiscarded(null),
      seen: (revision) => keep((was) => ({ ...was, basedOn: revision })),
    }
  }, [kept, keep, discarded, setDiscarded, open, twice])
  return <SheetContext.Provider value={sheet}>{children}</SheetContext.Provider>
}

export function useSheet(): Sheet {
  const sheet = useContext(SheetContext)
  if (!sheet) throw new Error('outside the shell')
  return sheet
}
