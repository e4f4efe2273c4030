/** The one of some words that a field holds, as its type; undefined for anything else. */
export const chosen = <T extends string>(words: readonly T[], value: string): T | undefined => words.find((w) => w === value)
