/** What is chosen of the ledger. */
export type LedgerSearch = { by?: string; about?: string; reference?: string; kind?: string; via?: string; first?: string; last?: string }
