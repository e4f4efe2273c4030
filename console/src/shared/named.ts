type Named = { label: string; key?: string }

/** How things are called so that they can be told apart: where two of them have one label,
 * the key stands beside it. */
export function namesOf<T extends Named>(things: T[]): (thing: T) => string {
  const keys = new Map<string, Set<string>>()
  for (const x of things) keys.set(x.label, (keys.get(x.label) ?? new Set()).add(x.key ?? ''))
  return (x) => (x.key && (keys.get(x.label)?.size ?? 0) > 1 ? `${x.label} (${x.key})` : x.label)
}
