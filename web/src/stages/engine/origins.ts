import type { Schema } from '../../app/api/client'

/** What an origin is called on the screen; the key is what the record keeps. */
const WORDS: Partial<Record<Schema['Origin'], string>> = { told: 'reported', catalogue: 'catalog' }

/** Where a value comes from, in a word. */
export function originWords(origin: string): string {
  return WORDS[origin as Schema['Origin']] ?? origin
}

/** Origins to choose from. */
export const originChoices = (origins: Schema['Origin'][]) =>
  origins.map((origin) => ({ value: origin, label: originWords(origin) }))
