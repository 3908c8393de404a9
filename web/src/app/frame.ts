import { computed, type ComputedRef, inject, type InjectionKey, provide, type Ref, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schema } from './api/client'

export type Programme = Schema['ProgrammeOut']
export type Day = Schema['StandDay']
export type Setup = Schema['SetupOut']

/** What every screen of a programme shares; provided by ProgrammeFrame. */
export interface Frame {
  programme: ComputedRef<Programme>
  day: ComputedRef<Day>
  setup: (id: number) => Setup
  /** The standard being looked at: the address's, else the programme's. */
  standard: ComputedRef<string>
  lookAt: (standard: string) => void
  /** Somebody has the list of standards open, and chooses in a moment. */
  choosingStandard: Ref<boolean>
  mayOperate: ComputedRef<boolean>
}

const FRAME: InjectionKey<Frame> = Symbol('programme frame')

export function provideFrame(
  programme: ComputedRef<Programme>,
  day: ComputedRef<Day>,
  mayOperate: ComputedRef<boolean>,
): Frame {
  const route = useRoute()
  const router = useRouter()
  const standard = computed(() =>
    typeof route.query.standard === 'string' ? route.query.standard : programme.value.standard.id,
  )
  const frame: Frame = {
    programme,
    day,
    setup: (id) => {
      const found = programme.value.setups.find((setup) => setup.id === id)
      if (!found) throw new Error(`setup ${id} does not belong to programme ${programme.value.id}`)
      return found
    },
    standard,
    lookAt: (chosen) => {
      const query = { ...route.query, standard: chosen === programme.value.standard.id ? undefined : chosen }
      void router.replace({ query })
    },
    choosingStandard: ref(false),
    mayOperate,
  }
  provide(FRAME, frame)
  return frame
}

export function useFrame(): Frame {
  const frame = inject(FRAME)
  if (!frame) throw new Error('this component must stand inside ProgrammeFrame')
  return frame
}
