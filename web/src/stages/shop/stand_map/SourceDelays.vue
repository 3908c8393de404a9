<script setup lang="ts">
/** By how much further sources lag behind that of the speed, measured while somebody moves the throttle. */
import { answer, api } from '../../../app/api/client'
import { useJob } from '../../../app/api/useJob'
import ProblemNote from '../../../ui/ProblemNote.vue'
import { type MapTyped, sentMap } from './standMap'

interface Lag {
  source: string
  lag_s: number
  error_s: number
}
const map = defineModel<MapTyped>({ required: true })
const props = defineProps<{ stand: string; standId?: number }>()
const work = useJob<{ lags: Lag[] }>()

const measure = () =>
  work.start(async () =>
    answer(
      await api.POST('/api/stands/measure-delays', {
        body: {
          map: { ...sentMap(map.value), stand: props.stand || 'stand' },
          stand: props.standId ?? null,
        },
      }),
    ),
  )
function use(lag: Lag) {
  const source = map.value.sources.find((one) => one.name === lag.source)
  if (source) source.delay_s = lag.lag_s.toFixed(3)
}
/** Ahead by more than its error: the samples follow the later of the two. */
const isAhead = (lag: Lag) => lag.lag_s < -lag.error_s
</script>

<template>
  <section class="d-flex flex-column ga-2" data-test="delays">
    <p class="d-flex flex-wrap ga-2 align-center">
      <v-btn :disabled="work.running.value" @click="measure">Measure delays</v-btn>
      <span class="quiet">
        Map the engine speed of every source in rpm first. Then bring the engine slowly up and down, twice.
      </span>
    </p>
    <template v-if="work.running.value">
      <v-progress-linear
        aria-label="Delays measured"
        :model-value="work.job.value?.done ?? 0"
        :max="work.job.value?.total || 1"
      />
      <p class="d-flex ga-2 align-center" role="status">
        {{ work.job.value?.progress_text || 'Waiting for a worker…' }}
        <v-btn size="small" @click="work.stop">Stop measuring</v-btn>
      </p>
    </template>
    <ProblemNote :error="work.error.value" />
    <p v-if="work.failure.value" class="message" role="alert">{{ work.failure.value }}</p>
    <p
      v-for="lag in work.result.value?.lags ?? []"
      :key="lag.source"
      class="d-flex flex-wrap ga-2 align-center"
    >
      <template v-if="isAhead(lag)">
        {{ lag.source }} is ahead by {{ (-lag.lag_s).toFixed(3) }} ± {{ lag.error_s.toFixed(3) }} s: read rpm
        from it, and the other source lags behind.
      </template>
      <template v-else>
        {{ lag.source }} lags by {{ Math.max(0, lag.lag_s).toFixed(3) }} ± {{ lag.error_s.toFixed(3) }} s.
        <v-btn size="small" @click="use({ ...lag, lag_s: Math.max(0, lag.lag_s) })">Use this delay</v-btn>
      </template>
    </p>
  </section>
</template>
