/** What is chosen of a list, as it stands in the address. */
export type ListSearch = { q?: string; sort?: string; only?: string }

const text = (v: unknown) => (typeof v === 'string' && v !== '' ? v : undefined)

/** Reads what is chosen of a list from the address. */
export const listSearch = (s: Record<string, unknown>): ListSearch => ({ q: text(s.q), sort: text(s.sort), only: text(s.only) })
