import { ref, shallowRef, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'

export type Readings = Schema['AirIn']

export const MOISTURE: { value: Schema['Moisture']; label: string }[] = [
  { value: 'relative_humidity', label: 'Relative humidity' },
  { value: 'wet_bulb', label: 'Wet bulb' },
  { value: 'dew_point', label: 'Dew point' },
]
const PAUSE_MS = 80

/** The air of readings as they are typed: the last answer stays while a field is being corrected. */
export function useAir(readings: () => Readings) {
  const found = shallowRef<Schema['AirReport'] | null>(null)
  const fields = ref<Record<string, string>>({})
  const error = ref<Error | null>(null)
  let timer: ReturnType<typeof setTimeout> | undefined
  let asked = 0

  async function ask() {
    const turn = ++asked
    const given = readings()
    if (!given.barometer.trim() || !given.temperature.trim() || !given.moisture_value.trim()) {
      found.value = null
      fields.value = {}
      return
    }
    try {
      const answered = answer(await api.POST('/api/air', { body: given }))
      if (turn !== asked) return
      found.value = answered
      fields.value = {}
      error.value = null
    } catch (caught) {
      if (turn !== asked) return
      fields.value = caught instanceof Problem ? caught.fields : {}
      error.value = caught instanceof Problem && Object.keys(caught.fields).length ? null : (caught as Error)
      found.value = null
    }
  }
  watch(
    readings,
    () => {
      clearTimeout(timer)
      timer = setTimeout(() => void ask(), PAUSE_MS)
    },
    { deep: true, immediate: true },
  )
  return { found, fields, error }
}
