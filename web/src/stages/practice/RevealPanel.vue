<script setup lang="ts">
/** What a practice test hid: your call, the verdict's, the truth, and what other pulls would have bought. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { useFrame } from '../../app/frame'
import { figure, signed } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'

const { programme, setup, mayOperate } = useFrame()
const path = computed(() => ({ params: { path: { programme_id: programme.value.id } } }))
const { data, error } = useQuery({
  queryKey: computed(() => ['practice', programme.value.id] as const),
  queryFn: async () => answer(await api.GET('/api/programmes/{programme_id}/practice', path.value)),
})
const reveal = useAction(async () =>
  answer(await api.POST('/api/programmes/{programme_id}/practice/reveal', path.value)),
)
const found = computed(() => data.value?.revealed)
function callWords(call: Schema['CallOut']): string {
  const whom = call.setup_id
    ? `${setup(call.setup_id).letter} ${setup(call.setup_id).name}`
    : 'nobody, so the baseline stays'
  return `${whom}: ${call.is_right ? 'right' : `${figure(call.lost_percent, 1)} % behind the best`}`
}
const share = (value: number | null) => (value === null ? '–' : figure(value, 0))
</script>

<template>
  <section class="pt-3" data-test="reveal">
    <ProblemNote :error="error ?? reveal.error.value" />
    <template v-if="data && !found">
      <p class="text">
        This is a practice test:
        {{ data.traits.join('; ').toLowerCase() || 'nothing is hidden beside scatter' }}. What its parts are
        worth is hidden in the simulated stand.
      </p>
      <v-btn
        v-if="mayOperate"
        color="hand"
        variant="flat"
        :disabled="!data.may_reveal || reveal.isPending.value"
        @click="reveal.mutate(undefined)"
        >Reveal the truth</v-btn
      >
      <p v-if="!data.decided" class="text quiet mt-2">
        Run it and save a decision first. Nothing is revealed before there is a call.
      </p>
    </template>
    <template v-if="found">
      <dl class="calls">
        <dt>{{ found.person.by }} called</dt>
        <dd data-test="your-call">{{ callWords(found.person) }}</dd>
        <dt>The verdict called</dt>
        <dd data-test="tools-call">{{ callWords(found.tool) }}</dd>
      </dl>
      <v-table class="figures close" data-test="truth">
        <caption class="text-left quiet">
          Over the baseline, over the duty, %
        </caption>
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th>Truth</th>
            <th>Read</th>
            <th>95 %</th>
            <th class="words">Status</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found.setups" :key="one.setup_id">
            <td class="words">
              <SetupMark :position="setup(one.setup_id).position" :size="18" /> {{ setup(one.setup_id).name }}
            </td>
            <td>{{ signed(one.true_percent, 1) }}</td>
            <td>{{ one.percent === null ? '–' : signed(one.percent, 1) }}</td>
            <td>{{ one.percent === null ? '' : `${signed(one.low!, 1)} to ${signed(one.high!, 1)}` }}</td>
            <td class="words">{{ one.is_best ? 'best' : 'behind' }}</td>
          </tr>
        </tbody>
      </v-table>
      <v-table v-if="found.bought.length" class="figures close mt-4" data-test="bought">
        <caption class="text-left quiet">
          Of 100 days with this truth, the verdict calls the winner
        </caption>
        <thead>
          <tr>
            <th class="words">If it is run</th>
            <th>Right</th>
            <th>Nobody</th>
            <th>Wrong</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in found.bought" :key="one.label">
            <td class="words">{{ one.label }}</td>
            <td>{{ share(one.right_percent) }}</td>
            <td>{{ share(one.nobody_percent) }}</td>
            <td>{{ share(one.wrong_percent) }}</td>
          </tr>
        </tbody>
      </v-table>
      <ul class="prose size-15 pl-4 mt-4">
        <li v-for="line in found.lessons" :key="line">{{ line }}</li>
      </ul>
      <p class="text quiet">
        <router-link :to="{ name: 'practice' }">All practice tests and scores</router-link>
      </p>
    </template>
  </section>
</template>

<style scoped>
.calls {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 4px 16px;
  margin-bottom: 12px;
}
</style>
