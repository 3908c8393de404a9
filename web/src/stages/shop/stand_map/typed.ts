/** What is typed into a map: texts, by the key of the map, and what they are sent as. */
export type Kind = 'modbus' | 'mqtt' | 'can' | 'opcua' | 'text'
/** Of a source, a row or a command. */
export type Typed = Record<string, string | null>

/** A number where it is one; else as typed, so that the server can say what is wrong with it. */
export function number(text: string): number | string {
  const value = Number(text.trim().replace(',', '.'))
  return Number.isFinite(value) ? value : text
}

export const numbers = (text: string) =>
  text
    .split(/[;\s]+/)
    .filter(Boolean)
    .map(number)
