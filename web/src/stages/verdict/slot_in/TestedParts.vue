<script setup lang="ts">
/** The parts that were run, where each stands, and which the curve is drawn from; a variable of one's own is typed. */
import { computed } from 'vue'

import type { Schema } from '../../../app/api/client'
import { useFrame } from '../../../app/frame'
import SetupMark from '../../../ui/setups/SetupMark.vue'

const props = defineProps<{ found: Schema['SlotInOut']; wrong: Record<string, string> }>()
const without = defineModel<string>('without', { required: true })
const values = defineModel<string>('values', { required: true })
const value = defineModel<string>('value', { required: true })
const ownName = defineModel<string>('ownName', { required: true })
const { setup } = useFrame()
const isOwn = computed(() => props.found.variable === 'own')
const variable = computed(
  () => props.found.variables.find((one) => one.value === props.found.variable)?.label,
)
const out = computed(() => new Set(without.value.split(',').filter(Boolean)))
const typed = computed(
  () => new Map(values.value.split(',').map((pair) => pair.split(':') as [string, string])),
)

function use(setupId: number, used: boolean | null) {
  const next = new Set(out.value)
  if (used) next.delete(String(setupId))
  else next.add(String(setupId))
  without.value = [...next].join(',')
}
function type(setupId: number, text: string) {
  const next = new Map([...typed.value].filter(([key]) => key))
  if (text.trim()) next.set(String(setupId), text.trim())
  else next.delete(String(setupId))
  values.value = [...next].map((pair) => pair.join(':')).join(',')
}
</script>

<template>
  <div>
    <v-table class="close" data-test="tested-parts">
      <caption class="text-left quiet">
        Run with all else the same
      </caption>
      <thead>
        <tr>
          <th>Used</th>
          <th class="words">Part</th>
          <th>{{ variable }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in found.tested" :key="one.setup_id">
          <td>
            <v-checkbox-btn
              :model-value="!out.has(String(one.setup_id))"
              :aria-label="`Use ${one.part}`"
              @update:model-value="use(one.setup_id, $event)"
            />
          </td>
          <td class="words">
            <SetupMark :position="setup(one.setup_id).position" :size="18" /> {{ one.part }}
          </td>
          <td>
            <v-text-field
              v-if="isOwn"
              :model-value="typed.get(String(one.setup_id)) ?? ''"
              :aria-label="`${variable} of ${one.part}`"
              inputmode="decimal"
              @change="type(one.setup_id, ($event.target as HTMLInputElement).value)"
            />
            <template v-else>{{ one.place }}</template>
          </td>
        </tr>
        <tr>
          <td />
          <td class="words">
            {{ found.parts.find((one) => one.value === String(found.part_id))?.label ?? 'the part between' }}
          </td>
          <td>
            <v-text-field
              v-if="isOwn"
              v-model.lazy="value"
              :aria-label="`${variable} of the part between`"
              inputmode="decimal"
              :error-messages="wrong.value"
            />
            <template v-else>{{ found.place }}</template>
          </td>
        </tr>
      </tbody>
    </v-table>
    <p v-if="wrong.without || wrong.values" class="message size-15">{{ wrong.without ?? wrong.values }}</p>
    <v-text-field v-if="isOwn" v-model.lazy="ownName" label="What it is called" />
  </div>
</template>
