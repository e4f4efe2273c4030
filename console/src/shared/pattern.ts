/** What the service decides, in small: only for drawing; the preview of a change
 * is worked out there. */

const segment = (pattern: string, text: string) =>
  new RegExp(
    `^${pattern
      .split('*')
      .map((s) => s.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
      .join('.*')}$`,
  ).test(text)

/** Whether a pattern covers a path, which may itself have stars taken as names. */
export function covers(pattern: string, path: string): boolean {
  if (pattern === '/') return true
  if (path === '/') return false
  const p = pattern.split('/')
  const x = path.split('/')
  return p.length <= x.length && p.every((s, i) => (s.includes('*') ? segment(s, x[i]!) : s === x[i]))
}

type Fence = { pattern: string; actions: string[] }

/** Whether a fence keeps a permission with this pattern from an action on a path. */
export const fenced = (fences: Fence[], pattern: string, action: string, path: string) =>
  fences.some((f) => (f.actions.includes('*') || f.actions.includes(action)) && covers(f.pattern, path) && !covers(f.pattern, pattern))
