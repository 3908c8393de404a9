<script setup lang="ts">
/** Where the mixture of a pull lies, which jets should bring it to its target, and how earlier advice came out. */
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { figure } from '../../ui/figures'
import { useMixtureAdvice } from './useMixtureAdvice'

const props = defineProps<{ pull: { id: number; setup_id: number }; mayOperate: boolean }>()
const { data } = useMixtureAdvice(() => props.pull.id)
/** Every 500 rpm: the whole of it is drawn over the pull's own mixture. */
const predicted = computed(() => data.value?.predicted.filter((one) => one.speed_rpm % 500 === 0) ?? [])
/** One after the other, so that a jet that is refused names itself. */
const fit = useAction(async (jets: Record<string, string>) => {
  for (const [key, text] of Object.entries(jets))
    answer(
      await api.POST('/api/setups/{setup_id}/settings', {
        params: { path: { setup_id: props.pull.setup_id } },
        body: { key, text },
      }),
    )
})
</script>

<template>
  <section
    v-if="data && (data.advice || data.banks || data.hazard)"
    class="mt-3"
    aria-label="Mixture"
    data-test="mixture"
  >
    <p v-if="data.hazard" class="bg-error py-2 px-3" role="alert">{{ data.hazard }}</p>
    <p v-if="data.reading" class="prose size-16">{{ data.reading }}</p>
    <p v-if="data.banks" class="prose size-16" data-test="banks">{{ data.banks }}</p>
    <p v-if="data.advice" class="prose size-16 hand-edge on-panel py-1 px-3" data-test="jets">
      <strong>{{ data.advice }}</strong>
      <v-btn
        v-if="mayOperate && Object.keys(data.jets).length"
        class="ml-3"
        :disabled="fit.isPending.value || fit.isSuccess.value"
        @click="fit.mutate(data.jets)"
      >
        {{ fit.isSuccess.value ? 'Fitted from the next pull on' : 'These jets are fitted' }}
      </v-btn>
    </p>
    <ProblemNote :error="fit.error.value" />
    <DisclosurePanel v-if="predicted.length" title="Mixture to expect with these jets">
      <v-table class="figures" data-test="predicted">
        <thead>
          <tr>
            <th>rpm</th>
            <th>Lambda</th>
            <th>in 95 of 100 cases</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in predicted" :key="one.speed_rpm">
            <td>{{ figure(one.speed_rpm, 0) }}</td>
            <td>{{ figure(one.expected, 3) }}</td>
            <td>{{ figure(one.low, 3) }} to {{ figure(one.high, 3) }}</td>
          </tr>
        </tbody>
      </v-table>
    </DisclosurePanel>
    <DisclosurePanel v-if="data.basis.length" title="What the advice rests on">
      <ul class="prose size-15 pl-4">
        <li v-for="line in data.basis" :key="line">{{ line }}</li>
        <li v-for="line in data.scored" :key="line">{{ line }}</li>
      </ul>
    </DisclosurePanel>
  </section>
</template>
