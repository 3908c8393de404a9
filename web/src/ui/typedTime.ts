/** What a datetime-local field holds, which knows no zone: everybody types and reads the shop's clock. */
import { TZDate } from '@date-fns/tz'

import { shopZone } from './figures'

const pad = (value: number) => String(value).padStart(2, '0')
const written = (at: TZDate) =>
  `${at.getFullYear()}-${pad(at.getMonth() + 1)}-${pad(at.getDate())}T${pad(at.getHours())}:${pad(at.getMinutes())}`

/** A moment as the field has it, `2026-11-28T09:00`; empty for none. */
export function toTyped(iso: string | null | undefined): string {
  return iso ? written(new TZDate(iso, shopZone())) : ''
}

/** What was typed as a moment in ISO 8601; null for an empty or half-typed field. */
export function fromTyped(text: string): string | null {
  const [year, month, day, hour, minute] = (text.match(/\d+/g) ?? []).map(Number)
  if (!year || !month || !day || hour === undefined || minute === undefined) return null
  return new Date(new TZDate(year, month - 1, day, hour, minute, shopZone()).getTime()).toISOString()
}

/** Nine in the morning by the shop's clock, so many days after a moment; as long after midnight as it, where there is one. */
export function daysLater(days: number, iso?: string): string {
  const at = new TZDate(iso ? Date.parse(iso) : Date.now(), shopZone())
  at.setDate(at.getDate() + days)
  if (!iso) at.setHours(9, 0, 0, 0)
  return new Date(at.getTime()).toISOString()
}
