<script setup lang="ts">
/** The run that a map with commands has to pass: the engine is armed, swept, stopped, and left alone without a heartbeat. */
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../../app/api/client'
import { useJob } from '../../../app/api/useJob'
import ProblemNote from '../../../ui/ProblemNote.vue'
import { type MapTyped, sentMap } from './standMap'
import { number } from './typed'

const props = defineProps<{ map: MapTyped; stand: string; standId?: number }>()
const work = useJob<{ checks: { rule: string; wrong: string }[]; digest: string }>()
const speeds = ref({ start: '2000', end: '4000' })
const isAtTheStop = ref(false)
const asked = ref('')
/** What was tried is what stands there: another map is another stand. */
const isOfThisMap = computed(() => asked.value === JSON.stringify(sentMap(props.map)))
const passed = computed(() => isOfThisMap.value && Boolean(work.result.value?.digest))
const wrong = (field: string) =>
  work.error.value instanceof Problem ? work.error.value.fields[field] : undefined

const run = () =>
  work.start(async () => {
    asked.value = JSON.stringify(sentMap(props.map))
    const body = {
      map: { ...sentMap(props.map), stand: props.stand || 'stand' },
      stand: props.standId ?? null,
      start_rpm: Number(number(speeds.value.start)) || 0,
      end_rpm: Number(number(speeds.value.end)) || 0,
      at_the_stop: isAtTheStop.value,
    }
    return answer(await api.POST('/api/stands/conform-map', { body }))
  })
</script>

<template>
  <section class="d-flex flex-column ga-2" data-test="conformance" aria-label="Conformance run">
    <h4 class="mb-0">Conformance run</h4>
    <p class="text my-0">
      <strong>The engine is swept.</strong> It is armed and disarmed, swept for a second and aborted, then
      swept and left alone: without a heartbeat the stand must stop by itself. No limit is watched meanwhile.
      Try the wired stop first. Local codes and the stand maker’s instructions come before anything written
      here.
    </p>
    <div class="fields-grid align-end">
      <v-text-field v-model="speeds.start" label="Sweep from, rpm" :error-messages="wrong('start_rpm')" />
      <v-text-field v-model="speeds.end" label="Sweep to, rpm" :error-messages="wrong('end_rpm')" />
    </div>
    <v-checkbox
      v-model="isAtTheStop"
      label="Somebody stands at the wired stop, and nobody is near the engine"
      :error-messages="wrong('at_the_stop')"
      hide-details="auto"
    />
    <p class="d-flex flex-wrap ga-2 align-center">
      <v-btn v-if="work.running.value" color="error" variant="flat" @click="work.stop">Stop run</v-btn>
      <v-btn v-else :disabled="!isAtTheStop" @click="run">Run conformance</v-btn>
      <span v-if="work.running.value" role="status">
        {{
          work.job.value?.progress_text ? `Passed: ${work.job.value.progress_text}` : 'Waiting for a worker…'
        }}
      </span>
    </p>
    <v-progress-linear
      v-if="work.running.value"
      aria-label="Rules tried"
      :model-value="work.job.value?.done ?? 0"
      :max="work.job.value?.total || 1"
    />
    <ProblemNote :error="work.error.value" />
    <p v-if="work.failure.value" class="message" role="alert">{{ work.failure.value }}</p>
    <template v-if="isOfThisMap && work.result.value">
      <ul class="text" data-test="rules">
        <li v-for="check in work.result.value.checks" :key="check.rule">
          {{ check.wrong ? 'Broken' : 'Passed' }}: {{ check.rule }}
          <strong v-if="check.wrong" role="alert">{{ check.wrong }}</strong>
        </li>
      </ul>
      <p role="status" :class="passed ? '' : 'message'">
        {{
          passed
            ? 'Passed: once the stand is saved, it takes commands, for as long as nothing in this map changes.'
            : 'Not passed: the stand only reports. Fix what is named last, and run it again.'
        }}
      </p>
    </template>
  </section>
</template>
