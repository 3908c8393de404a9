/** The map of a stand as it is typed: every field a text, until it is sent (docs/adapters.md). */
import { type ControlTyped, sentControl, typedControl } from './controlMap'
import { type Kind, number, numbers, type Typed } from './typed'

export type Part = 'channels' | 'weather'

export interface MapTyped {
  rate_hz: string
  inertia: Typed
  sources: (Typed & { kind: Kind })[]
  channels: Typed[]
  weather: Typed[]
  /** Null for a stand that only reports. */
  control: ControlTyped | null
  simulated: boolean
}

export const KINDS: { value: Kind; label: string }[] = [
  { value: 'modbus', label: 'Modbus' },
  { value: 'mqtt', label: 'MQTT' },
  { value: 'can', label: 'CAN' },
  { value: 'opcua', label: 'OPC UA' },
  { value: 'text', label: 'Lines of text' },
]
/** What says where in a source a row is. */
export const PLACE: Record<Kind, { key: string; label: string }> = {
  modbus: { key: 'register', label: 'Register' },
  mqtt: { key: 'topic', label: 'Topic' },
  can: { key: 'signal', label: 'Signal' },
  opcua: { key: 'node', label: 'Node' },
  text: { key: 'field', label: 'Field' },
}
/** Fields of a source; those with choices are chosen. */
export const FIELDS: Record<Kind, { key: string; label: string; hint?: string; choices?: string[] }[]> = {
  modbus: [
    { key: 'host', label: 'Host', hint: '192.0.2.10' },
    { key: 'port', label: 'Port', hint: '502' },
    { key: 'serial', label: 'Or serial device', hint: '/dev/ttyUSB0' },
    { key: 'baud', label: 'Baud', hint: '19200' },
    { key: 'parity', label: 'Parity', choices: ['N', 'E', 'O'] },
    { key: 'device_id', label: 'Device id', hint: '1' },
  ],
  mqtt: [
    { key: 'host', label: 'Broker', hint: '192.0.2.20' },
    { key: 'port', label: 'Port', hint: '1883' },
    { key: 'user', label: 'User (optional)' },
    { key: 'password', label: 'Password (optional)' },
    { key: 'time', label: 'Path of the time', hint: 'by arrival' },
  ],
  can: [
    { key: 'interface', label: 'Interface', hint: 'socketcan' },
    { key: 'channel', label: 'Bus', hint: 'can0' },
    { key: 'bitrate', label: 'Bits per second', hint: '500000' },
    { key: 'port', label: 'Port, of a bus over UDP' },
  ],
  opcua: [
    { key: 'address', label: 'Address', hint: 'opc.tcp://192.0.2.30:4840' },
    { key: 'user', label: 'User (optional)' },
    { key: 'password', label: 'Password (optional)' },
  ],
  text: [
    { key: 'over', label: 'Over', choices: ['tcp', 'udp', 'serial'] },
    { key: 'host', label: 'Host', hint: '192.0.2.40' },
    { key: 'port', label: 'Port' },
    { key: 'serial', label: 'Serial device', hint: '/dev/ttyUSB0' },
    { key: 'baud', label: 'Baud', hint: '115200' },
    { key: 'separator', label: 'Separator', hint: ',' },
    { key: 'decimal', label: 'Decimal sign', choices: ['.', ','] },
    { key: 'time', label: 'Field of the time', hint: 'by arrival' },
  ],
}
/** More of a row, seldom needed: how the registers hold it, and what it means. */
export const MORE: { key: string; label: string; hint?: string; choices?: string[]; only?: Kind }[] = [
  { key: 'offset', label: 'Offset', hint: '0' },
  { key: 'missing', label: 'Raw values that mean missing', hint: '65535' },
  { key: 'rate_hz', label: 'Own samples per second, if slower' },
  { key: 'table', label: 'Registers', choices: ['holding', 'input'], only: 'modbus' },
  { key: 'words', label: 'Words', choices: ['high first', 'low first'], only: 'modbus' },
  { key: 'bytes', label: 'Bytes in a word', choices: ['high first', 'low first'], only: 'modbus' },
]
export const TYPES = ['int16', 'uint16', 'int32', 'uint32', 'float32', 'int64', 'uint64', 'float64']

const NUMBERS = new Set(
  'rate_hz port baud device_id bitrate timeout_s delay_s register scale offset kg_m2'.split(' '),
)

export function emptyMap(): MapTyped {
  return {
    rate_hz: '50',
    inertia: { torque: 'unknown', kg_m2: '' },
    sources: [{ kind: 'modbus', name: 'stand' } as MapTyped['sources'][number]],
    channels: [{ name: 'rpm', unit: 'rpm' }, { name: 'torque' }],
    weather: [],
    control: null,
    simulated: false,
  }
}

function sent(typed: Typed): Record<string, unknown> {
  const found: Record<string, unknown> = {}
  for (const [key, text] of Object.entries(typed)) {
    // An empty separator is one: any white space.
    if (text === null || (text === '' && key !== 'separator')) continue
    if (key === 'missing') found[key] = numbers(text)
    else found[key] = NUMBERS.has(key) ? number(text) : text
  }
  return found
}

/** As the server takes it; what was left empty has its usual value. */
export function sentMap(typed: MapTyped): Record<string, unknown> {
  return {
    rate_hz: number(typed.rate_hz),
    inertia: sent(typed.inertia),
    sources: typed.sources.map(sent),
    channels: typed.channels.map(sent),
    weather: typed.weather.map(sent),
    ...(typed.control ? { control: sentControl(typed.control) } : {}),
    ...(typed.simulated ? { simulated: true } : {}),
  }
}

/** What was saved, as it would be typed. */
export function typedMap(saved: Record<string, unknown>): MapTyped {
  const text = (value: unknown) =>
    Array.isArray(value) ? value.join(' ') : typeof value === 'string' ? value : JSON.stringify(value)
  const typed = (one: unknown): Typed =>
    Object.fromEntries(Object.entries((one ?? {}) as object).map(([key, value]) => [key, text(value)]))
  const all = (rows: unknown) => ((rows ?? []) as unknown[]).map(typed)
  return {
    rate_hz: text(saved.rate_hz ?? ''),
    inertia: { torque: 'unknown', kg_m2: '', ...typed(saved.inertia) },
    sources: all(saved.sources) as MapTyped['sources'],
    channels: all(saved.channels),
    weather: all(saved.weather),
    control: saved.control
      ? typedControl(saved.control as Record<string, unknown>, typed, all(saved.sources)[0]?.name ?? 'stand')
      : null,
    simulated: saved.simulated === true,
  }
}
