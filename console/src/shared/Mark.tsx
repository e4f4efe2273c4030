import { t } from '@lingui/core/macro'
import type { ReactNode } from 'react'

export type MarkName =
  'direct' | 'default' | 'group' | 'included' | 'all-users' | 'public' | 'ends' | 'fenced' | 'own' | 'scheduled' | 'none' | 'warns'

export const markWords: Record<MarkName, string> = {
  direct: t`direct`,
  default: t`by default`,
  group: t`through a group`,
  included: t`through an included role`,
  'all-users': t`all users`,
  public: t`public`,
  ends: t`has an end`,
  fenced: t`fenced`,
  own: t`only their own`,
  scheduled: t`at some times`,
  none: t`not allowed`,
  warns: t`warning`,
}

const shapes: Record<MarkName, ReactNode> = {
  direct: <circle cx="8" cy="8" r="5" fill="currentColor" />,
  default: (
    <>
      <circle cx="8" cy="8" r="5" strokeDasharray="2.2 1.7" />
      <circle cx="8" cy="8" r="1.6" fill="currentColor" stroke="none" />
    </>
  ),
  group: (
    <>
      <circle cx="8" cy="8" r="5" />
      <path d="M8 3a5 5 0 0 0 0 10z" fill="currentColor" />
    </>
  ),
  included: (
    <>
      <circle cx="8" cy="8" r="5" />
      <path d="M8 3a5 5 0 0 1 0 10z" fill="currentColor" />
    </>
  ),
  'all-users': <circle cx="8" cy="8" r="5" strokeDasharray="2.2 1.7" />,
  public: <circle cx="8" cy="8" r="5" />,
  ends: (
    <>
      <circle cx="8" cy="8" r="5" />
      <path d="M8 5v3l2 1.4" />
    </>
  ),
  fenced: (
    <>
      <circle cx="8" cy="8" r="5" />
      <path d="M4.6 11.4l6.8-6.8" />
    </>
  ),
  own: (
    <>
      <circle cx="8" cy="5.6" r="2.2" />
      <path d="M3.8 13a4.2 4.2 0 0 1 8.4 0" />
    </>
  ),
  scheduled: (
    <>
      <path d="M3.5 4.5h9v8h-9z M3.5 7h9 M5.8 3v2.6 M10.2 3v2.6" />
    </>
  ),
  none: <path d="M5.5 8h5" />,
  warns: <path d="M8 3 13.5 12.5h-11z M8 6.5v3 M8 11v.2" />,
}

const inks: Record<MarkName, string> = {
  direct: 'text-ink',
  default: 'text-kelp',
  group: 'text-kelp',
  included: 'text-kelp',
  'all-users': 'text-soft',
  public: 'text-soft',
  ends: 'text-brass',
  fenced: 'text-brick',
  own: 'text-soft',
  scheduled: 'text-soft',
  none: 'text-soft',
  warns: 'text-brick',
}

/** One of the marks, always with its word beside it or a name for screen readers. */
export function Mark({ name, label }: { name: MarkName; label?: string }) {
  return (
    <svg
      viewBox="0 0 16 16"
      className={`inline-block size-4 shrink-0 align-[-3px] ${inks[name]}`}
      fill="none"
      stroke="currentColor"
      strokeWidth="1.5"
      role={label ? 'img' : undefined}
      aria-label={label}
      aria-hidden={label ? undefined : true}
    >
      {shapes[name]}
    </svg>
  )
}
