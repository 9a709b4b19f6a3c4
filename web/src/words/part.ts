/** What a sentence can be completed with. */
export type Part = string | number | boolean | null | undefined
