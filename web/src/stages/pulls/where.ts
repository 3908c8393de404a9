import { useQuery } from '@tanstack/vue-query'

import { answer, api, type Schema } from '../../app/api/client'

export type Where = Schema['WhereIn']

/** What can be said of files and figures. */
export function useImportChoices() {
  return useQuery({
    queryKey: ['import-choices'],
    queryFn: async () => answer(await api.GET('/api/import-choices')),
    staleTime: 60_000,
  })
}

/** As the fields have it: texts, so that nothing typed is lost. */
export interface WhereTyped {
  day: string
  stand_name: string
  fuel: string
  inertia_in_torque: string
  inertia: string
  figures_standard: string
  barometer: string
  air_temperature: string
  humidity_percent: string
  keep: boolean
}

/** The day of a date at this machine, as the wire has it. */
export function isoDay(date: Date): string {
  const two = (value: number) => String(value).padStart(2, '0')
  return `${date.getFullYear()}-${two(date.getMonth() + 1)}-${two(date.getDate())}`
}

export function emptyWhere(today: string): WhereTyped {
  return {
    day: today,
    stand_name: '',
    fuel: '',
    inertia_in_torque: 'unknown',
    inertia: '',
    figures_standard: '',
    barometer: '',
    air_temperature: '',
    humidity_percent: '',
    keep: false,
  }
}

/** A typed number, null where nothing was typed, NaN where it is none; a decimal comma is a point. */
export function typedNumber(text: string): number | null {
  const plain = text.trim().replace(',', '.')
  return plain === '' ? null : Number(plain)
}

/** What is sent, or the fields that hold no number. */
export function readWhere(typed: WhereTyped): { where: Where; wrong: Record<string, string> } {
  const wrong: Record<string, string> = {}
  const number = (field: 'inertia' | 'barometer' | 'air_temperature' | 'humidity_percent') => {
    const value = typedNumber(typed[field])
    if (value !== null && !Number.isFinite(value)) wrong[field] = 'not a number'
    return value
  }
  const where: Where = {
    day: typed.day,
    stand_name: typed.stand_name,
    fuel: typed.fuel,
    inertia_in_torque: typed.inertia_in_torque,
    inertia: number('inertia') ?? 0,
    figures_standard: typed.figures_standard,
    barometer: number('barometer'),
    air_temperature: number('air_temperature'),
    humidity_percent: number('humidity_percent'),
    keep: typed.keep,
  }
  if (!typed.day) wrong.day = 'say on which day they were made'
  return { where, wrong }
}
