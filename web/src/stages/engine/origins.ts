import type { Schema } from '../../app/api/client'

/** Origins to choose from: the record's word is the screen's. */
export const originChoices = (origins: Schema['Origin'][]) =>
  origins.map((origin) => ({ value: origin, label: origin }))
