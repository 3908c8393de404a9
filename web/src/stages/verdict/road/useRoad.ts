/** The car of a test and what its setups do in it: what is tried stands in the address, as the choice of a verdict does. */
import { useQuery } from '@tanstack/vue-query'
import { computed, type MaybeRefOrGetter, toValue } from 'vue'
import { useRoute } from 'vue-router'

import { answer, api, type Schema } from '../../../app/api/client'
import { useAddressParts } from '../../../app/useAddress'
import type { Choice } from '../queries'

const RULES = ['grip_rule', 'inertia_rule', 'torque_rule'] as const
const ASKED = ['shift_rpm', 'roll_gear', 'roll_from', 'roll_to', 'grade_gear', 'grade_at', 'rollout'] as const
const CAR = [
  'vehicle_mass',
  'gear_1',
  'gear_2',
  'gear_3',
  'gear_4',
  'gear_5',
  'gear_6',
  'gear_7',
  'final_drive',
  'tire_radius',
  'converter_stall',
  'launch_speed',
  'shift_time',
  'drag_area',
  'rolling_resistance',
  'driveline_efficiency',
  'tire_grip',
  'engine_inertia',
  'wheel_inertia',
] as const
const KEYS = [...CAR, ...RULES, ...ASKED]
type Key = (typeof KEYS)[number]

/** What is tried beside the build sheet, by field; texts as typed. */
export function useTried() {
  const route = useRoute()
  const change = useAddressParts()
  const tried = computed(() => {
    const found: Partial<Record<Key, string>> = {}
    for (const key of KEYS) {
      const value = route.query[key]
      if (typeof value === 'string' && value !== '') found[key] = value
    }
    return found
  })
  function tryOut(texts: Partial<Record<string, string>>) {
    change(Object.fromEntries(KEYS.map((key) => [key, texts[key]?.trim() || undefined])))
  }
  return { tried, tryOut }
}

export function useRoad(
  id: MaybeRefOrGetter<number>,
  choice: MaybeRefOrGetter<Choice>,
  tried: MaybeRefOrGetter<Partial<Record<string, string>>>,
) {
  return useQuery({
    queryKey: computed(() => ['road', toValue(id), toValue(choice), toValue(tried)] as const),
    queryFn: async ({ queryKey: [, programme_id, chosen, car] }): Promise<Schema['RoadOut']> =>
      answer(
        await api.GET('/api/programmes/{programme_id}/road', {
          params: { path: { programme_id }, query: { ...chosen, ...(car as object) } },
        }),
      ),
    placeholderData: (before) => before,
    retry: false,
  })
}
