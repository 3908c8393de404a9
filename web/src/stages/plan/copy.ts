import { type Draft } from './draft'
import { unsavedKey } from '../../ui/useUnsaved'

export const NEW_PLAN = unsavedKey('new plan')

/** The plan of a test as the beginning of another: nothing in it is pulled yet, and no day is paid for. */
export function copyOf(draft: Draft): Draft {
  const copy = structuredClone(draft)
  copy.question = `${draft.question} (copy)`
  copy.setups.forEach((setup) => Object.assign(setup, { id: null, available_at: null, position: null }))
  copy.order = copy.order.map((visit) => ({ ...visit, id: null, session: 0 }))
  copy.sessions = []
  return copy
}
