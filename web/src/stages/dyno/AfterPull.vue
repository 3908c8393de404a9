<script setup lang="ts">
/** What the last pull says at once: does it repeat, what was changed, does power still climb; and what is adjusted. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { figure, signed } from '../../ui/figures'
import MixtureAdvice from '../pulls/MixtureAdvice.vue'
import SparkLadder from '../pulls/SparkLadder.vue'
import CheckPass from './CheckPass.vue'
import { saidOf } from './useSession'

const props = defineProps<{
  pull: {
    id: number
    number: number
    setup_id: number
    purpose: string
    purpose_label: string
    standing: string
    excluded_reason: string
  }
  mayOperate: boolean
}>()
const emit = defineEmits<{ extend: [rpm: number] }>()
const { data } = useQuery({
  queryKey: computed(() => ['after', props.pull.id] as const),
  queryFn: async ({ queryKey: [, pull_id] }) =>
    answer(await api.GET('/api/pulls/{pull_id}/post-pull-check', { params: { path: { pull_id } } })),
})
const { data: settings } = useQuery({
  queryKey: computed(() => ['settings', props.pull.setup_id] as const),
  queryFn: async ({ queryKey: [, setup_id] }) =>
    answer(await api.GET('/api/setups/{setup_id}/settings', { params: { path: { setup_id } } })),
})
const key = ref('')
const text = ref('')
const adjust = useAction(async () =>
  answer(
    await api.POST('/api/setups/{setup_id}/settings', {
      params: { path: { setup_id: props.pull.setup_id } },
      body: { key: key.value, text: text.value },
    }),
  ),
)
const send = () => adjust.mutate(undefined, { onSuccess: () => (text.value = '') })
const choices = computed(() => [
  ...(settings.value?.settings ?? []).map((one) => ({
    key: one.key,
    label: `${one.label}, now ${one.text}`,
  })),
  ...Object.entries(settings.value?.others ?? {}).map(([one, label]) => ({ key: one, label })),
])
</script>

<template>
  <section class="mt-3" data-test="after-pull" aria-label="After the pull">
    <p v-if="pull.purpose !== 'sweep' && pull.standing === 'excluded'" class="quiet">
      {{ pull.excluded_reason }}.
    </p>
    <CheckPass v-if="pull.purpose === 'check'" :pull="pull.id" />
    <p
      v-if="data?.mean_percent != null"
      class="repeat d-flex ga-3 align-center hand-edge py-1 px-3 on-panel prose size-16"
      :class="{ ready: data.ready }"
      data-test="repeats"
    >
      <b class="reading text-no-wrap tabular big">{{ signed(data.mean_percent, 2) }} %</b>
      <span>
        Pull {{ pull.number }} against pull {{ data.sibling }}, at worst {{ signed(data.worst_percent, 1) }} %
        at {{ figure(data.worst_rpm, 0) }} rpm<template v-if="data.observed">, observed</template>.
        <strong v-if="data.ready">Repeats within limits.</strong>
        <strong v-else-if="data.repeats"
          >Repeats, but {{ data.beside }}. Make one more pull to confirm.</strong
        >
        <strong v-else>Not repeating yet: pull again.</strong>
      </span>
    </p>
    <p v-else-if="data && !['steps', 'check'].includes(pull.purpose)" class="quiet">
      No earlier pull of this setup to compare.
    </p>
    <p v-if="data?.changed.length" class="quiet">Changed: {{ data.changed.join('; ') }}.</p>
    <p v-if="data?.hazard" class="bg-error py-2 px-3" role="alert">{{ data.hazard }}</p>
    <ul v-if="data?.hints.length" class="my-2 mx-0 pl-4 prose size-16" data-test="hints">
      <li v-for="hint in data.hints" :key="hint">{{ hint }}</li>
    </ul>
    <MixtureAdvice
      v-if="!['steps', 'check'].includes(pull.purpose)"
      :key="pull.id"
      :pull="pull"
      :may-operate="mayOperate"
    />
    <SparkLadder v-if="!['steps', 'check'].includes(pull.purpose)" :pull="pull" :may-operate="mayOperate" />
    <p v-if="data?.climbs" data-test="climbs">
      Power still climbs at the end, {{ signed(data.climb_per_100_rpm, 1) }} {{ data.power_unit }} each 100
      rpm.
      <v-btn v-if="data.extend_to_rpm && mayOperate" @click="emit('extend', data.extend_to_rpm)">
        Sweep to {{ data.extend_to_rpm }} next
      </v-btn>
    </p>
    <v-form v-if="mayOperate" class="d-flex flex-wrap ga-2 mt-2" @submit.prevent="send">
      <v-autocomplete
        v-model="key"
        aria-label="What was adjusted"
        class="w-320"
        :items="[
          { value: '', label: 'Adjusted…' },
          ...(choices ?? []).map((one) => ({ value: one.key, label: one.label })),
        ]"
      />
      <template v-if="key">
        <v-text-field v-model="text" placeholder="new value" aria-label="New value" class="w-150" />
        <v-btn type="submit">From the next pull on</v-btn>
      </template>
    </v-form>
    <p v-if="adjust.data.value?.remark" class="prose size-16" role="status" data-test="remark">
      {{ adjust.data.value.remark }}
    </p>
    <p v-if="adjust.error.value" class="message" role="alert">{{ saidOf(adjust.error.value) }}</p>
  </section>
</template>

<style scoped>
.big {
  font-size: 30px;
}
.repeat.ready {
  border-left-color: var(--window);
}
</style>
