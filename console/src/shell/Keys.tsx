import { Trans } from '@lingui/react/macro'
import { t } from '@lingui/core/macro'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { useEffect, useState } from 'react'
import { useSheet } from './sheet'

const keys = [
  ['/', t`search for anyone or anything`],
  ['s', t`to the reason of the change sheet`],
  ['m', t`to the page, past the navigation`],
  ['?', t`this list`],
  [t`Escape`, t`closes what is open`],
  [t`Tab`, t`leads to the next field; in a box with choices it picks nothing`],
  [t`Enter`, t`picks what is marked; opens a row`],
  ['arrows', t`from row to row of a review, from cell to cell of the grid`],
  [t`k, r, u`, t`in a review: keep, revoke, take back`],
] as const

/** Keys that work on every page where nothing is typed, and the list of them all. */
export function Keys() {
  const sheet = useSheet()
  const [open, setOpen] = useState(false)
  useEffect(() => {
    const does: Record<string, () => void> = {
      '?': () => setOpen(true),
      m: () => document.getElementById('main')?.focus(),
      s: () => {
        sheet.setOpen(true)
        requestAnimationFrame(() => document.getElementById('reason')?.focus())
      },
    }
    const onKey = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || at.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(at.tagName)) return
      const act = does[e.key]
      if (!act) return
      e.preventDefault()
      act()
    }
    document.addEventListener('keydown', onKey)
    return () => document.removeEventListener('keydown', onKey)
  }, [sheet])
  return (
    <Dialog open={open} onClose={() => setOpen(false)} className="relative z-40 outline-none">
      <div className="fixed inset-0 flex items-start justify-center bg-black/30 p-4 pt-[12vh]">
        <DialogPanel className="border-rule bg-sheet w-full max-w-120 rounded-md border p-5">
          <DialogTitle className="text-lg font-bold">
            <Trans>Keys</Trans>
          </DialogTitle>
          <dl className="mt-3 grid grid-cols-[6rem_1fr]">
            {keys.map(([key, does]) => (
              <div key={key} className="contents">
                <dt className="border-rule border-b py-1.5">
                  <kbd className="font-mono">{key}</kbd>
                </dt>
                <dd className="border-rule border-b py-1.5">{does}</dd>
              </div>
            ))}
          </dl>
          <button type="button" className="button-quiet mt-4" onClick={() => setOpen(false)}>
            <Trans>Close</Trans>
          </button>
        </DialogPanel>
      </div>
    </Dialog>
  )
}
