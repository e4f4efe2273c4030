import type { ReactNode } from 'react'
import { SaveAs } from './Export'

/** The head of a list, with what can be done with all of it. */
export function Title({
  children,
  list,
  query,
  more,
}: {
  children: ReactNode
  list: string
  query?: Record<string, string | number | boolean | undefined>
  more?: ReactNode
}) {
  return (
    <div className="flex items-start justify-between gap-4">
      <h1>{children}</h1>
      <div className="flex gap-3">
        <SaveAs list={list} query={query} />
        {more}
      </div>
    </div>
  )
}
