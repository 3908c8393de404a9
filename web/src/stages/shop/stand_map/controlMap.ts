/** Commands of a map as they are typed: where each goes, and where the stand says its state (docs/adapters.md). */
import { type Kind, number, numbers, type Typed } from './typed'

export const STATES = ['idle', 'armed', 'sweeping', 'rolling_off'] as const
export const SET_POINTS = ['start_rpm', 'end_rpm', 'rate_rpm_s'] as const
const ORDERS = ['arm', 'start', 'abort', 'watchdog'] as const
export const COMMANDS = [...ORDERS, ...SET_POINTS] as const
export type Command = (typeof COMMANDS)[number]

export const LABELS: Record<Command | (typeof STATES)[number], string> = {
  arm: 'Arm (optional)',
  start: 'Start',
  abort: 'Abort',
  watchdog: 'Watchdog heartbeat',
  start_rpm: 'Start speed, rpm (optional)',
  end_rpm: 'End speed, rpm (optional)',
  rate_rpm_s: 'Sweep rate, rpm/s (optional)',
  idle: 'Idle',
  armed: 'Armed',
  sweeping: 'Sweeping',
  rolling_off: 'Rolling off',
}
/** Where a command goes: a line of text is sent as it is. */
export const WRITTEN_AT: Record<Kind, { key: string; label: string }> = {
  modbus: { key: 'register', label: 'Register' },
  mqtt: { key: 'topic', label: 'Topic' },
  can: { key: 'signal', label: 'Signal' },
  opcua: { key: 'node', label: 'Node' },
  text: { key: 'text', label: 'Line' },
}

export interface ControlTyped {
  watchdog_s: string
  /** The one source in which all of it lies, by its name. */
  source: string
  state: Typed
  commands: Record<Command, Typed>
}

export function emptyControl(source: string): ControlTyped {
  const commands = Object.fromEntries(COMMANDS.map((name) => [name, {}])) as ControlTyped['commands']
  return { watchdog_s: '1', source, state: {}, commands }
}
export const isSetPoint = (name: Command) => (SET_POINTS as readonly string[]).includes(name)

const NUMBERS = new Set(['register', 'value', 'release', 'scale'])
function sentPlace(typed: Typed, source: string): Record<string, unknown> {
  const found: Record<string, unknown> = { source }
  for (const [key, text] of Object.entries(typed)) {
    if (text === null || text === '') continue
    if ((STATES as readonly string[]).includes(key)) found[key] = numbers(text)
    else found[key] = NUMBERS.has(key) ? number(text) : text
  }
  return found
}
/** Nothing typed but perhaps how it is written: what may be missing is not sent, what is needed is asked for. */
const isEmpty = (typed: Typed) => !Object.values(WRITTEN_AT).some(({ key }) => typed[key])
const NEEDED: Command[] = ['start', 'abort', 'watchdog']

export function sentControl(typed: ControlTyped): Record<string, unknown> {
  const commands = COMMANDS.filter((name) => NEEDED.includes(name) || !isEmpty(typed.commands[name]))
  return {
    watchdog_s: number(typed.watchdog_s),
    state: sentPlace(typed.state, typed.source),
    ...Object.fromEntries(commands.map((name) => [name, sentPlace(typed.commands[name], typed.source)])),
  }
}

export function typedControl(
  saved: Record<string, unknown>,
  typed: (one: unknown) => Typed,
  first: string,
): ControlTyped {
  const { source, ...state } = typed(saved.state)
  const found = emptyControl(source ?? first)
  for (const name of COMMANDS) {
    const row = typed(saved[name])
    delete row.source
    found.commands[name] = row
  }
  return { ...found, watchdog_s: String(saved.watchdog_s), state }
}
