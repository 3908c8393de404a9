<script setup lang="ts">
/** What the engine leaves with in one of its setups: issued as page and PDF, and frozen. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { clock, day } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useUnsaved } from '../../ui/useUnsaved'

const props = defineProps<{
  /** The sheet that is looked at; 0 for none. */
  shown: number
  showOwner: boolean
  remark: string
}>()
const emit = defineEmits<{ show: [handover: number] }>()
const { programme, setup, mayOperate } = useFrame()
const queries = useQueryClient()
const { data: sheets, error } = useQuery({
  queryKey: computed(() => ['handovers', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/handovers', { params: { path: { programme_id } } })),
})
const setups = computed(() =>
  programme.value.setups.map((one) => ({ value: one.id, label: `${one.letter} ${one.name}` })),
)
const picked = ref<number | null>(null)
const chosen = computed({
  get: () => picked.value ?? sheets.value?.[0]?.setup_id ?? setups.value[0]?.value ?? 0,
  set: (id: number) => (picked.value = id),
})
const change = useUnsaved(`change of a handover of ${programme.value.id}`, '')
const problem = ref<Error | null>(null)
const wrong = computed(() => (problem.value instanceof Problem ? problem.value.fields.change : undefined))
const busy = ref(false)

async function issue() {
  busy.value = true
  problem.value = null
  try {
    const made = answer(
      await api.POST('/api/programmes/{programme_id}/handovers', {
        params: { path: { programme_id: programme.value.id } },
        body: {
          setup_id: chosen.value,
          show_owner: props.showOwner,
          remark: props.remark,
          change: change.value,
        },
      }),
    )
    change.value = ''
    await queries.invalidateQueries({ queryKey: ['handovers', programme.value.id] })
    emit('show', made.id)
  } catch (caught) {
    problem.value = caught as Error
  }
  busy.value = false
}
</script>

<template>
  <section class="mt-6" data-test="handovers">
    <h2>Handover sheets</h2>
    <ProblemNote :error="error ?? (wrong ? null : problem)" />
    <p class="quiet prose size-15 mt-0">
      What the engine leaves with: parts, tune, liquids, limits, and what to check before it runs. The owner's
      name and the remark are those of the report.
    </p>
    <v-form v-if="mayOperate" @submit.prevent="issue">
      <v-select v-model="chosen" label="Setup it leaves with" :items="setups" />
      <v-text-field
        v-if="sheets?.length"
        v-model="change"
        label="What a further handover changes"
        :error-messages="wrong"
      />
      <v-btn type="submit" :disabled="busy">Issue handover sheet</v-btn>
    </v-form>
    <ol class="plain-list pa-0">
      <li v-for="one in sheets" :key="one.id" class="border-t py-2 d-flex flex-wrap ga-2 align-center">
        <v-btn
          variant="text"
          class="px-0"
          :class="{ 'font-weight-bold': shown === one.id }"
          :aria-pressed="shown === one.id"
          @click="emit('show', one.id)"
          >Handover, version {{ one.number }}, {{ setup(one.setup_id).letter }}</v-btn
        >
        <span class="quiet">{{ day(one.at) }} {{ clock(one.at) }}, {{ one.by }}</span>
        <a :href="`/api/handovers/${one.id}/handover.pdf`" download>PDF</a>
        <span v-if="one.change" class="quiet">{{ one.change }}</span>
      </li>
    </ol>
  </section>
</template>
