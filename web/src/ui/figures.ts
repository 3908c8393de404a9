/** Numbers come converted; here they only get their digits. */
import { ref } from 'vue'

const formats = new Map<number, Intl.NumberFormat>()

export function figure(value: number | null | undefined, digits = 1): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–'
  let format = formats.get(digits)
  if (!format) {
    format = new Intl.NumberFormat('en', {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      useGrouping: false,
    })
    formats.set(digits, format)
  }
  return format
    .format(value)
    .replace('-', '−')
    .replace(/^−(0(\.0+)?)$/, '$1')
}

/** With its sign, for differences. */
export function signed(value: number | null | undefined, digits = 1): string {
  const text = figure(value, digits)
  return value !== null && value !== undefined && value > 0 && /[1-9]/.test(text) ? `+${text}` : text
}

const CHANNEL_DIGITS: Record<string, number> = {
  rpm: 0,
  lambda: 2,
  oil_pressure: 1,
  torque: 0,
  boost: 2,
  exhaust_pressure: 2,
  fuel_pressure: 1,
}

/** Digits that can be read from two metres. */
export function channelFigure(channel: string, value: number | null | undefined): string {
  return figure(value, CHANNEL_DIGITS[channel] ?? 0)
}

/** The shop's clock; until it is known, that of the machine. */
let timeZone: string | undefined
const currency = ref('')

/** How the shop counts hours and money. */
export function setShop(zone: string, money: string) {
  timeZone = zone
  currency.value = money
}

/** The shop's time zone by its IANA name. */
export const shopZone = () => timeZone

/** An amount in the shop's currency. */
export function money(value: number | null | undefined): string {
  return value === null || value === undefined ? '–' : `${figure(value, 0)} ${currency.value}`
}

/** A heading of a column of amounts. */
export function inMoney(what: string): string {
  return currency.value ? `${what}, ${currency.value}` : what
}

export function clock(iso: string | null | undefined): string {
  return iso
    ? new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', timeZone })
    : '–'
}

export function day(iso: string | null | undefined): string {
  return iso
    ? new Date(iso).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', timeZone })
    : '–'
}

export function moment(iso: string | null | undefined): string {
  return iso ? `${day(iso)} ${clock(iso)}` : '–'
}
