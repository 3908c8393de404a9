<script setup lang="ts">
/** Comparability limits: what passes, and beyond what they are not comparable. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { typedNumber } from './where'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ programme: number; mayOperate: boolean }>()
const { data: windows } = useQuery({
  queryKey: computed(() => ['comparison-windows', props.programme] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/comparison-windows', {
        params: { path: { programme_id } },
      }),
    ),
})
const typed = ref<Record<string, { note: string; block: string }>>({})
const written = (value: number) => String(Number(value.toPrecision(4)))
watch(
  windows,
  (known) => {
    typed.value = Object.fromEntries(
      (known ?? []).map((one) => [one.key, { note: written(one.note), block: written(one.block) }]),
    )
  },
  { immediate: true },
)
const changed = computed(() =>
  (windows.value ?? []).filter((one) => {
    const now = typed.value[one.key]
    return !one.usual || (now && (now.note !== written(one.note) || now.block !== written(one.block)))
  }),
)
const save = useAction(async (keys: string[]) =>
  answer(
    await api.PUT('/api/programmes/{programme_id}/comparison-windows', {
      params: { path: { programme_id: props.programme } },
      body: {
        windows: keys.map((key) => ({
          key,
          note: typedNumber(typed.value[key]!.note) ?? 0,
          block: typedNumber(typed.value[key]!.block) ?? 0,
        })),
      },
    }),
  ),
)
</script>

<template>
  <DisclosurePanel class="windows" title="Comparability limits">
    <ProblemNote :error="save.error.value" />
    <v-form @submit.prevent="save.mutate(changed.map((one) => one.key))">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Check</th>
            <th>OK up to</th>
            <th>Reject above</th>
            <th class="words">Unit</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in windows" :key="one.key">
            <td class="words">{{ one.name }}<span v-if="!one.usual" class="quiet">, of this test</span></td>
            <td v-for="which in ['note', 'block'] as const" :key="which">
              <v-text-field
                v-if="typed[one.key]"
                v-model="typed[one.key]![which]"
                inputmode="decimal"
                class="number w-76"
                :readonly="!mayOperate"
                :aria-label="`${one.name}, ${which === 'note' ? 'passes to' : 'not comparable beyond'}`"
              />
            </td>
            <td class="words quiet">{{ one.unit }}</td>
          </tr>
        </tbody>
      </v-table>
      <p v-if="mayOperate">
        <v-btn type="submit">Save limits</v-btn>
        <v-btn @click="save.mutate([])">Reset to defaults</v-btn>
      </p>
    </v-form>
  </DisclosurePanel>
</template>

<style scoped>
.windows table {
  max-width: 640px;
}
.v-btn + .v-btn {
  margin-left: 8px;
}
</style>
