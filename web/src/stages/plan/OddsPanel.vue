<script setup lang="ts">
/** The plan run many times on the simulated engine: how often it would call the right winner, nobody, or a wrong one. */
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'
import { useJob } from '../../app/api/useJob'
import { useKeys } from '../../app/keys'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'

interface Outcome {
  days: number
  right_percent: number
  nobody_percent: number
  wrong_percent: number
  truth_is_equal: boolean
  best: number
  winner_percent: number[]
  better_percent: number[]
  worse_percent: number[]
}
interface Odds {
  days: number
  setups: number[]
  effects: number[]
  with_returns?: Outcome
  without_returns?: Outcome
}

const props = defineProps<{ plan: Schema['PlanOut'] }>()
const { programme, setup, mayOperate } = useFrame()
const { data: assumed } = useQuery({
  queryKey: computed(() => ['odds', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/odds', { params: { path: { programme_id } } })),
})
const effects = reactive<Record<number, string>>({})
watch(assumed, (given) => given?.effects.forEach((one) => (effects[one.setup_id] ??= one.text)), {
  immediate: true,
})
const days = ref('1000')
const refit = ref('')
const fields = ref<Record<string, string>>({})
const message = ref('')
const job = useJob<Odds>()
/** Only what the running order visits is simulated. */
const others = computed(() => {
  const { setups, order } = props.plan.draft
  const visited = new Set(order.map((visit) => setups[visit.setup]?.id))
  return programme.value.setups.filter((one) => !one.is_baseline && visited.has(one.id))
})
const result = computed(() => job.result.value)
const rows = computed<[string, Outcome][]>(() => {
  const { with_returns, without_returns } = result.value ?? {}
  const found: [string, Outcome][] = []
  if (with_returns) found.push(['With the returns to the baseline', with_returns])
  if (without_returns) found.push(['Without them', without_returns])
  return found
})

async function simulate() {
  if (!assumed.value) return
  fields.value = {}
  message.value = ''
  await job.start(async () =>
    answer(
      await api.POST('/api/programmes/{programme_id}/odds', {
        params: { path: { programme_id: programme.value.id } },
        body: {
          effects: others.value.map((one) => ({ setup_id: one.id, text: effects[one.id] ?? '' })),
          days: days.value,
          refit: refit.value,
        },
      }),
    ),
  )
  const problem = job.error.value
  if (problem instanceof Problem) fields.value = problem.fields
  message.value = problem?.message ?? ''
}
useKeys([{ key: 's', label: 'S', does: 'Simulate the plan', press: () => void simulate() }])
</script>

<template>
  <section>
    <h2>Simulate the plan before it is paid for</h2>
    <p class="text">
      What if the setups were worth this much? So many days are run on a simulated engine that scatters
      {{ figure(assumed?.scatter_percent, 2) }} % per pull<template v-if="assumed?.scatter_is_default">
        (a default: this engine has not been pulled twice)</template
      >, drifts by {{ signed(assumed?.drift_percent_per_pull, 2) }} ±
      {{ figure(assumed?.drift_sd_percent_per_pull, 2) }} % with each pull of a day and reads
      {{ figure(assumed?.cold_percent) }} % high on a cold part; each is judged as the verdict judges.
    </p>
    <v-form @submit.prevent="simulate">
      <v-table class="figures assumed most-480">
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th>Assumed against the baseline, %</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in others" :key="one.id">
            <td class="words">
              <span class="head d-flex ga-2 align-center"
                ><SetupMark :position="one.position" :size="20" /> {{ one.name }}</span
              >
            </td>
            <td>
              <v-text-field
                v-model="effects[one.id]"
                class="number w-76"
                placeholder="0"
                :aria-label="`Assumed effect of ${one.letter}`"
                :error="Boolean(fields[`effects.${one.id}`])"
              />
              <p v-if="fields[`effects.${one.id}`]" class="message">{{ fields[`effects.${one.id}`] }}</p>
            </td>
          </tr>
        </tbody>
      </v-table>
      <div class="more d-flex flex-wrap gr-2 gc-5 align-end my-3 mx-0">
        <v-text-field v-model="days" label="Days" class="number" :error="Boolean(fields.days)" />
        <v-text-field
          v-model="refit"
          label="Refitting a part moves it by, %"
          class="number"
          placeholder="0"
          :error="Boolean(fields.refit)"
        />
        <v-btn v-if="!job.running.value" type="submit" :disabled="!mayOperate || !assumed"
          >Simulate <kbd>S</kbd></v-btn
        >
        <v-btn v-else @click="job.stop">Stop</v-btn>
        <span v-if="job.running.value" role="status" class="quiet">
          <progress :value="job.job.value?.done ?? 0" :max="job.job.value?.total || 1" />
          {{ job.job.value?.progress_text || 'waiting for a worker' }}
        </span>
      </div>
      <p v-for="key in ['days', 'refit', 'order']" v-show="fields[key]" :key="key" class="message">
        {{ fields[key] }}
      </p>
      <p v-if="job.failure.value || message" class="message" role="alert">
        {{ job.failure.value || message }}
      </p>
    </v-form>

    <template v-if="rows.length">
      <h2 class="mt-4">
        Per 100 simulated days<template v-if="result"> (from {{ result.days }})</template>
        <template v-if="job.job.value?.state === 'stopped'">, stopped before all were done</template>
      </h2>
      <v-table class="figures outcome" data-test="odds">
        <thead>
          <tr>
            <th class="words">Plan</th>
            <th>{{ rows[0]![1].truth_is_equal ? 'call nobody, rightly' : 'call the right winner' }}</th>
            <th v-if="!rows[0]![1].truth_is_equal">call nobody</th>
            <th>call a wrong one</th>
            <th class="words" aria-hidden="true"></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[name, row] in rows" :key="name">
            <td class="words">{{ name }}</td>
            <td>{{ figure(row.right_percent) }}</td>
            <td v-if="!row.truth_is_equal">{{ figure(row.nobody_percent) }}</td>
            <td :class="{ hand: row.wrong_percent > 5 }">{{ figure(row.wrong_percent) }}</td>
            <td class="words bar" aria-hidden="true">
              <i class="right" :style="{ width: `${row.right_percent}%` }" /><i
                v-if="!row.truth_is_equal"
                class="nobody"
                :style="{ width: `${row.nobody_percent}%` }"
              /><i class="wrong" :style="{ width: `${row.wrong_percent}%` }" />
            </td>
          </tr>
        </tbody>
      </v-table>
      <h2 class="mt-4">Separated from the baseline, per 100 simulated days with the returns</h2>
      <v-table v-if="result?.with_returns" class="figures assumed most-480">
        <thead>
          <tr>
            <th class="words">Setup</th>
            <th>Assumed, %</th>
            <th>called better</th>
            <th>called worse</th>
            <th>called the winner</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(id, index) in result.setups" :key="id">
            <td class="words">
              <span class="head d-flex ga-2 align-center"
                ><SetupMark :position="setup(id).position" :size="20" /> {{ setup(id).name }}</span
              >
            </td>
            <td>{{ index ? signed(result.effects[index]! * 100, 2) : '–' }}</td>
            <td>{{ index ? figure(result.with_returns.better_percent[index]) : '–' }}</td>
            <td>{{ index ? figure(result.with_returns.worse_percent[index]) : '–' }}</td>
            <td>{{ figure(result.with_returns.winner_percent[index]) }}</td>
          </tr>
        </tbody>
      </v-table>
      <p class="quiet prose size-15">
        A simulation knows the engine's habits only as far as they are assumed. Drift is not taken out of the
        verdict: the returns spread it over the day.
      </p>
    </template>
  </section>
</template>

<style scoped>
.assumed {
  min-width: 420px;
}
.more .v-input {
  width: 220px;
}
.outcome th {
  white-space: nowrap;
}
.bar {
  width: 34%;
  font-size: 0;
}
.bar i {
  display: inline-block;
  height: 12px;
}
.right {
  background: var(--ink);
}
.nobody {
  background: repeating-linear-gradient(45deg, var(--hatch) 0 2px, transparent 2px 5px);
}
.wrong {
  background: var(--stop);
}
.hand {
  background: var(--hand);
  color: var(--on-hand);
}
</style>
