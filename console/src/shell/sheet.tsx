import { createContext, useContext, useMemo, useState, type ReactNode } from 'react'
import type { Operation } from '../api/client'

/** One thing on the change sheet: an operation and how it reads. */
export type Line = {
  id: string
  verb: string
  what: string
  detail?: string
  operations: Operation[]
  /** The pending change of somebody else that this line makes. */
  pending?: { id: string; reason: string }
}

type Sheet = {
  lines: Line[]
  basedOn: number
  open: boolean
  setOpen: (open: boolean) => void
  add: (line: Omit<Line, 'id'>, revision: number) => void
  /** Adds several at once. */
  load: (lines: Omit<Line, 'id'>[], revision: number) => void
  remove: (...ids: string[]) => void
  clear: () => void
  /** What has moved since has been seen, up to this revision. */
  seen: (revision: number) => void
}

const SheetContext = createContext<Sheet | null>(null)

type Kept = { lines: Line[]; basedOn: number }

function read(): Kept {
  try {
    return JSON.parse(sessionStorage.getItem('sheet') ?? '') as Kept
  } catch {
    return { lines: [], basedOn: 0 }
  }
}

/** Keeps the sheet over page loads, in this window alone. */
export function SheetProvider({ children }: { children: ReactNode }) {
  const [kept, setKept] = useState(read)
  const [open, setOpen] = useState(true)
  const sheet = useMemo<Sheet>(() => {
    const keep = (next: Kept) => {
      sessionStorage.setItem('sheet', JSON.stringify(next))
      setKept(next)
    }
    const load = (more: Omit<Line, 'id'>[], revision: number) => {
      const lines = [...kept.lines, ...more.map((l) => ({ ...l, id: crypto.randomUUID() }))]
      keep({ lines, basedOn: kept.lines.length === 0 ? revision : Math.min(kept.basedOn, revision) })
      setOpen(true)
    }
    return {
      ...kept,
      open,
      setOpen,
      add: (line, revision) => load([line], revision),
      load,
      remove: (...ids) => keep({ ...kept, lines: kept.lines.filter((l) => !ids.includes(l.id)) }),
      clear: () => keep({ lines: [], basedOn: 0 }),
      seen: (revision) => keep({ ...kept, basedOn: revision }),
    }
  }, [kept, open])
  return <SheetContext.Provider value={sheet}>{children}</SheetContext.Provider>
}

export function useSheet(): Sheet {
  const sheet = useContext(SheetContext)
  if (!sheet) throw new Error('outside the shell')
  return sheet
}
