/** What a list of choices shows, in the shape that the server sends and that every `v-select` here expects. */
export interface Choice<Value = string> {
  value: Value
  label: string
}

/** Labels by value as a list, in their order. */
export function choicesOf(labels: Record<string, string> | undefined): Choice[] {
  return Object.entries(labels ?? {}).map(([value, label]) => ({ value, label }))
}
