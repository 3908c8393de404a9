<script setup lang="ts">
/** What the next pull is for, and the sweep where it is not the plan's. */
import { computed, ref, watch } from 'vue'

import type { Schema } from '../../app/api/client'
import type { Programme } from '../../app/frame'
import { choicesOf } from '../../ui/choices'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import QuantityField from '../../ui/QuantityField.vue'

const props = defineProps<{
  programme: Programme
  purpose: string
  canHold: boolean
  extendTo: number | null
}>()
const wanted = defineModel<Partial<Schema['ArmIn']>>({ required: true })
const PURPOSES: Record<string, string> = {
  check: 'Check pass',
  sweep: 'Counted pull',
  warm_up: 'Warm-up pull',
  shake_down: 'Shake-down',
  break_in: 'Break-in',
  steps: 'Step test',
}
const purposes = computed(() =>
  choicesOf(PURPOSES).map((one) => ({
    ...one,
    props: { disabled: one.value === 'steps' && !props.canHold },
  })),
)
const end = ref('')
const start = ref('')
const rate = ref('')
const step = ref('500')
const hold = ref('4')
const chosen = computed(() => wanted.value.purpose || props.purpose)

/** Why the sweep cannot be asked for as it is typed. */
const wrong = defineModel<string>('wrong', { required: true })
const number = (text: string) => (text.trim() === '' ? null : Number(text))
function holds(): { rpm: number; s: number }[] {
  const low = number(start.value) ?? props.programme.sweep_start_rpm
  const high = number(end.value) ?? props.programme.sweep_end_rpm
  const by = Number(step.value)
  if (!(by >= 50) || !(high > low)) return []
  const found = []
  for (let rpm = low; rpm <= high + 1e-6; rpm += by) found.push({ rpm, s: Number(hold.value) })
  return found
}
watch([start, end, rate, step, hold, () => wanted.value.purpose], () => {
  const typed = [
    start.value,
    end.value,
    rate.value,
    ...(chosen.value === 'steps' ? [step.value, hold.value] : []),
  ]
  const odd = typed.find((text) => text.trim() !== '' && !Number.isFinite(Number(text)))
  wrong.value = odd === undefined ? '' : `“${odd}” is not a number: the sweep is not armed like this.`
  if (wrong.value) return
  wanted.value = {
    purpose: wanted.value.purpose,
    start_rpm: number(start.value),
    end_rpm: number(end.value),
    rate_rpm_s: number(rate.value),
    holds: chosen.value === 'steps' ? holds() : [],
  }
})
watch(
  () => props.extendTo,
  (rpm) => rpm && (end.value = String(rpm)),
)
</script>

<template>
  <DisclosurePanel class="my-2 mx-0" data-test="pull-options"
    ><template #title>
      {{ PURPOSES[chosen] }},
      <template v-if="chosen === 'check' && !end"
        >three seconds from {{ start || programme.sweep_start_rpm }} rpm</template
      >
      <template v-else
        >sweep {{ start || programme.sweep_start_rpm }}–{{ end || programme.sweep_end_rpm }}</template
      >
    </template>
    <div class="d-flex flex-wrap gr-2 gc-3 py-2 px-0">
      <v-select
        label="This pull is a"
        :model-value="wanted.purpose ?? ''"
        :items="[{ value: '', label: `${PURPOSES[purpose]} (automatic)` }, ...purposes]"
        @update:model-value="wanted = { ...wanted, purpose: $event }"
      />
      <QuantityField
        v-model="start"
        label="Sweep start"
        unit="rpm"
        :placeholder="String(programme.sweep_start_rpm)"
      />
      <QuantityField
        v-model="end"
        label="Sweep end"
        :placeholder="String(programme.sweep_end_rpm)"
        unit="rpm"
      />
      <QuantityField
        v-if="chosen !== 'steps'"
        v-model="rate"
        label="Sweep rate"
        :placeholder="String(programme.sweep_rate_rpm_s)"
        unit="rpm/s"
      />
      <template v-else>
        <QuantityField v-model="step" label="Step" unit="rpm" />
        <QuantityField v-model="hold" label="Held" unit="s" />
      </template>
    </div>
    <p v-if="wrong" class="message" role="alert">{{ wrong }}</p>
  </DisclosurePanel>
</template>
