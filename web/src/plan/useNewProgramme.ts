import { computed, reactive, ref } from 'vue'

import type { Schema } from '../api/client'

export interface DraftSetup {
  name: string
  /** The part in each slot; slots without one are left out. */
  parts: Record<string, number | ''>
}

export interface DraftStep {
  setup: number
  pulls: string
}

/** Baseline first, everything else after it, and the baseline again: the return shows drift. */
export function usualOrder(setups: number): DraftStep[] {
  const others = Array.from({ length: Math.max(0, setups - 1) }, (_, place) => ({
    setup: place + 1,
    pulls: '3',
  }))
  return [{ setup: 0, pulls: '2' }, ...others, { setup: 0, pulls: '1' }]
}

/** A programme being written down. A new setup begins as the baseline, so that only what changes is chosen. */
export function useNewProgramme() {
  const question = ref('')
  const build = ref<number | null>(null)
  const standard = ref('iso_1585_si')
  const heldConstant = ref('')
  const setups = reactive<DraftSetup[]>([
    { name: '', parts: {} },
    { name: '', parts: {} },
  ])
  const order = reactive<DraftStep[]>(usualOrder(2))
  const texts = reactive<Record<string, string>>({
    sweep_start_rpm: '',
    sweep_end_rpm: '',
    sweep_rate: '',
    low_rpm: '',
    high_rpm: '',
    smallest_difference: '0.3',
  })

  function reorder() {
    order.splice(0, order.length, ...usualOrder(setups.length))
  }

  function addSetup() {
    setups.push({ name: '', parts: { ...setups[0]!.parts } })
    reorder()
  }

  function dropSetup(place: number) {
    setups.splice(place, 1)
    reorder()
  }

  /** A part of the baseline is in every setup that had the same there before. */
  function put(place: number, slot: string, part: number | '') {
    const before = setups[place]!.parts[slot] ?? ''
    setups.forEach((setup, other) => {
      if (other === place || (place === 0 && (setup.parts[slot] ?? '') === before)) setup.parts[slot] = part
    })
  }

  const body = computed<Schema['DraftIn']>(() => ({
    question: question.value,
    build_id: build.value ?? 0,
    standard: standard.value,
    held_constant: heldConstant.value,
    setups: setups.map((setup) => ({
      name: setup.name,
      part_ids: Object.values(setup.parts).filter((part): part is number => part !== ''),
    })),
    order: order.map((step) => ({ ...step })),
    texts: { ...texts },
  }))

  return { question, build, standard, heldConstant, setups, order, texts, addSetup, dropSetup, put, body }
}
