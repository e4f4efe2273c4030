/** A key made of a label: lower-case words joined by hyphens, no longer than keys may be. */
export const keyOf = (label: string) =>
  label
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[-0-9]+/, '')
    .slice(0, 64)
    .replace(/-+$/, '')
