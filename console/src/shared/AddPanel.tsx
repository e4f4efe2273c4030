import { Trans } from '@lingui/react/macro'
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react'
import { useNavigate, useSearch } from '@tanstack/react-router'
import type { ReactNode } from 'react'
import { keyOf } from './key'

/** A press that opens a panel beside the page, in which something new is described. That it is
 * open stands in the address; what was typed is there when it is opened again. */
export function AddPanel({
  label,
  name = keyOf(label),
  press,
  children,
}: {
  label: string
  /** What the address calls it. */
  name?: string
  /** It is opened by plain words, and not by a button: the first of its label, or these. */
  press?: boolean | string
  /** The form, given what closes the panel once it was sent. */
  children: (done: () => void) => ReactNode
}) {
  const { add } = useSearch({ strict: false })
  const navigate = useNavigate()
  const set = (add?: string) => void navigate({ to: '.', search: (s) => ({ ...s, add }), replace: true })
  const done = () => set(undefined)
  return (
    <>
      <button type="button" className={`${press ? 'press text-sm' : 'button'} print:hidden`} aria-label={label} onClick={() => set(name)}>
        {typeof press === 'string' ? press : press ? label.replace(/ .*/, '') : label}
      </button>
      <Dialog open={add === name} onClose={done} className="relative z-20 outline-none">
        <div className="fixed inset-0 flex justify-end bg-black/30">
          <DialogPanel className="bg-sheet border-rule h-full w-full max-w-170 overflow-y-auto border-l px-6 py-5 max-md:px-4">
            <div className="flex items-baseline justify-between gap-4">
              <DialogTitle className="text-lg font-bold">{label}</DialogTitle>
              <button type="button" className="press text-sm" onClick={done}>
                <Trans>Close</Trans>
              </button>
            </div>
            {children(done)}
          </DialogPanel>
        </div>
      </Dialog>
    </>
  )
}
