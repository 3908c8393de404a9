<script setup lang="ts">
/** A new programme: the question, the setups as a matrix of slots, the order, the sweep, what is held constant. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem } from '../api/client'
import { useParts, useSlots } from '../parts/useParts'
import { useNewProgramme } from '../plan/useNewProgramme'
import SetupMark from '../setups/SetupMark.vue'
import { useEngines } from '../sheet/useBuild'

const { data: engines } = useEngines()
const { data: parts } = useParts()
const { data: slots } = useSlots()
const { data: standards } = useQuery({
  queryKey: ['standards'],
  queryFn: async () => answer(await api.GET('/api/standards')),
})
const plan = useNewProgramme()
const { question, build, standard, heldConstant, setups, order, texts, addSetup, dropSetup, put } = plan
const queries = useQueryClient()
const router = useRouter()
const fields = ref<Record<string, string>>({})
const message = ref('')
const rows = computed(() => {
  const present = new Set((parts.value ?? []).map((part) => part.slot))
  return (slots.value ?? []).filter((slot) => present.has(slot.value))
})
const NUMBERS = [
  ['sweep_start_rpm', 'Sweep from', 'rpm'],
  ['sweep_end_rpm', 'Sweep to', 'rpm'],
  ['sweep_rate', 'Sweep rate', 'rpm/s'],
  ['low_rpm', 'Compared from', 'rpm'],
  ['high_rpm', 'Compared to', 'rpm'],
  ['smallest_difference', 'Smallest difference that matters', '%'],
] as const

function inSlot(slot: string) {
  return (parts.value ?? []).filter((part) => part.slot === slot)
}

function choose(place: number, slot: string, event: Event) {
  const id = (event.target as HTMLSelectElement).value
  put(place, slot, id === '' ? '' : Number(id))
}

async function make() {
  if (build.value === null) {
    fields.value = { build_id: 'Choose the engine. Describe one first if there is none.' }
    message.value = 'The programme is not complete: see the fields.'
    return
  }
  try {
    const made = answer(await api.POST('/api/programmes', { body: plan.body.value }))
    await queries.invalidateQueries({ queryKey: ['programmes'] })
    await router.push({ name: 'plan', params: { id: made.id } })
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
  }
}
</script>

<template>
  <form class="page" @submit.prevent="make">
    <h1 class="page">New programme</h1>
    <p v-if="message" class="message" role="alert">{{ message }}</p>
    <div class="form">
      <label>
        <span>Question</span>
        <input
          v-model="question"
          autofocus
          placeholder="Which manifold for…?"
          :aria-invalid="Boolean(fields.question)"
        />
      </label>
      <p v-if="fields.question" class="message">{{ fields.question }}</p>
      <label>
        <span>Engine</span>
        <select v-model="build" :aria-invalid="Boolean(fields.build_id)">
          <option :value="null">–</option>
          <template v-for="engine in engines" :key="engine.id">
            <option v-for="revision in engine.revisions" :key="revision.id" :value="revision.id">
              {{ engine.name }}, rev {{ revision.revision }}
            </option>
          </template>
        </select>
      </label>
      <p v-if="fields.build_id" class="message">{{ fields.build_id }}</p>
      <label>
        <span>Standard</span>
        <select v-model="standard">
          <option v-for="known in standards" :key="known.id" :value="known.id">{{ known.label }}</option>
        </select>
      </label>
      <label>
        <span>Held constant</span>
        <input v-model="heldConstant" placeholder="throttle body, spark, mixture, fuel…" />
      </label>
    </div>

    <h2>Setups: what is in each slot</h2>
    <p v-if="fields.setups" class="message">{{ fields.setups }}</p>
    <p v-if="parts && !parts.length" class="text">
      There is no part yet. <router-link :to="{ name: 'parts' }">Add some to the library</router-link> first.
    </p>
    <div class="scroll">
      <table class="figures matrix">
        <thead>
          <tr>
            <th class="words">Slot</th>
            <th v-for="(setup, place) in setups" :key="place" class="words">
              <SetupMark :position="place" />
              <input
                v-model="setup.name"
                :aria-label="`Name of setup ${String.fromCharCode(65 + place)}`"
                :placeholder="place === 0 ? 'Baseline' : 'Name'"
                :aria-invalid="Boolean(fields[`setups.${place}.name`])"
              />
              <button
                v-if="setups.length > 2 && place > 0"
                type="button"
                :aria-label="`Drop setup ${String.fromCharCode(65 + place)}`"
                @click="dropSetup(place)"
              >
                ×
              </button>
              <p v-if="fields[`setups.${place}.name`] || fields[`setups.${place}.parts`]" class="message">
                {{ fields[`setups.${place}.name`] ?? fields[`setups.${place}.parts`] }}
              </p>
            </th>
            <th class="words"><button type="button" class="more" @click="addSetup">Another setup</button></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="slot in rows" :key="slot.value">
            <th class="words" scope="row">{{ slot.label }}</th>
            <td
              v-for="(setup, place) in setups"
              :key="place"
              class="words"
              :class="{
                differs:
                  place > 0 && (setup.parts[slot.value] ?? '') !== (setups[0]!.parts[slot.value] ?? ''),
              }"
            >
              <select
                :value="setup.parts[slot.value] ?? ''"
                :aria-label="`${slot.label} of setup ${String.fromCharCode(65 + place)}`"
                @change="choose(place, slot.value, $event)"
              >
                <option value="">none</option>
                <option v-for="part in inSlot(slot.value)" :key="part.id" :value="part.id">
                  {{ part.name }}
                </option>
              </select>
            </td>
            <td></td>
          </tr>
        </tbody>
      </table>
    </div>

    <div class="columns">
      <div>
        <h2>Running order</h2>
        <p v-if="fields.order" class="message">{{ fields.order }}</p>
        <ol class="order">
          <li v-for="(step, place) in order" :key="place">
            <SetupMark :position="step.setup" :size="20" />
            <select v-model="step.setup" :aria-label="`Setup of step ${place + 1}`">
              <option v-for="(setup, index) in setups" :key="index" :value="index">
                {{ String.fromCharCode(65 + index) }} {{ setup.name }}
              </option>
            </select>
            <input v-model="step.pulls" class="number" :aria-label="`Pulls of step ${place + 1}`" />
            <span class="quiet">pulls that count</span>
            <button type="button" :aria-label="`Drop step ${place + 1}`" @click="order.splice(place, 1)">
              ×
            </button>
            <p v-if="fields[`order.${place}.pulls`]" class="message">{{ fields[`order.${place}.pulls`] }}</p>
          </li>
        </ol>
        <button type="button" class="more" @click="order.push({ setup: 0, pulls: '1' })">Another step</button>
      </div>
      <div class="form">
        <template v-for="[key, label, unit] in NUMBERS" :key="key">
          <label>
            <span>{{ label }}</span>
            <span>
              <input
                v-model="texts[key]"
                class="number"
                :aria-label="label"
                :aria-invalid="Boolean(fields[key])"
              />
              <span class="quiet unit">{{ unit }}</span>
            </span>
          </label>
          <p v-if="fields[key]" class="message">{{ fields[key] }}</p>
        </template>
      </div>
    </div>
    <div class="buttons">
      <v-btn type="submit" class="hand">Plan it</v-btn>
      <v-btn :to="{ name: 'programmes' }" :active="false">Back</v-btn>
    </div>
  </form>
</template>

<style scoped>
.page {
  padding: 18px;
  max-width: 1240px;
}
h1.page {
  padding: 0;
  margin-bottom: 14px;
}
.scroll {
  overflow-x: auto;
  margin-bottom: 22px;
}
.matrix {
  width: auto;
}
.matrix svg {
  vertical-align: middle;
}
.matrix input {
  width: 150px;
}
.matrix select {
  width: 190px;
}
.matrix tbody th {
  vertical-align: middle;
}
.differs select {
  border-color: var(--ink);
  font-weight: 700;
}
.columns {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 40px;
  align-items: start;
}
.columns .form {
  --label: 220px;
}
.order {
  list-style: none;
  padding: 0;
  margin: 0 0 8px;
}
.order li {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
}
.order .number {
  width: 46px;
  text-align: right;
}
.more {
  text-decoration: underline;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: 1fr;
  }
}
</style>
