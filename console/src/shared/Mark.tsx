import type { ReactNode } from 'react'

export type MarkName = 'direct' | 'group' | 'included' | 'all-users' | 'public' | 'ends' | 'none' | 'warns'

export const markWords: Record<MarkName, string> = {
  direct: 'direct',
  group: 'through a group',
  included: 'through an included role',
  'all-users': 'all users',
  public: 'public',
  ends: 'has an end',
  none: 'not allowed',
  warns: 'warning',
}

const shapes: Record<MarkName, ReactNode> = {
  direct: <circle cx="8" cy="8" r="5" fill="currentColor" />,
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
  none: <path d="M5.5 8h5" />,
  warns: <path d="M8 3 13.5 12.5h-11z M8 6.5v3 M8 11v.2" />,
}

const inks: Record<MarkName, string> = {
  direct: 'text-ink',
  group: 'text-kelp',
  included: 'text-kelp',
  'all-users': 'text-soft',
  public: 'text-soft',
  ends: 'text-brass',
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
