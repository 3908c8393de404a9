<script setup lang="ts">
/** What a day is planned from: sessions and their paid hours, times and fuel, the place of each setup, templates. */
import { computed, ref } from 'vue'

import { useMe } from '../../app/api/queries'
import NumberFields from '../../ui/NumberFields.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { letterOf } from '../../ui/setups/marks'
import { daysLater, fromTyped, toTyped } from '../../ui/typedTime'
import type { PlanDraft } from './usePlanDraft'

const props = defineProps<{ plan: PlanDraft }>()
const { draft, fields, positions, begun, useTemplate, choices, message } = props.plan
const { data: me } = useMe()
const fuelUnit = computed(() => me.value?.units.fuel ?? 'L')
const NUMBERS = computed(() => [
  { key: 'warm_up', label: 'Warm-up', unit: 'min' },
  { key: 'pull_time', label: 'One pull', unit: 'min' },
  { key: 'cool_down', label: 'Cool-down after it', unit: 'min' },
  { key: 'conditioning_pulls', label: 'Warm-up pulls after a change', unit: '' },
  { key: 'tuning', label: 'Tuning of a setup, first visit', unit: 'min', placeholder: 'none' },
  { key: 'return_every', label: 'Back to the baseline after', unit: 'setups' },
  { key: 'return_pulls', label: 'Pulls of a return', unit: '' },
  { key: 'fuel_available', label: 'Fuel there is', unit: fuelUnit.value, placeholder: 'no limit' },
  { key: 'fuel_pull', label: 'Fuel per pull', unit: fuelUnit.value, placeholder: 'estimated' },
  { key: 'fuel_warm_up', label: 'Fuel per warm-up', unit: fuelUnit.value, placeholder: 'estimated' },
  { key: 'hour_price', label: 'Price per hour', unit: me.value?.currency ?? '', placeholder: 'none' },
])
const template = ref('')
const templateSetup = ref(1)
const planned = computed(() =>
  draft.setups.map((setup, place) => ({ setup, place })).filter((one) => one.setup.candidate === 'in'),
)

function addSession() {
  const last = draft.sessions.at(-1)
  draft.sessions.push({ starts_at: daysLater(1, last?.starts_at), paid: last?.paid ?? '' })
}
const typedIn = (event: Event) => fromTyped((event.target as HTMLInputElement).value)
</script>

<template>
  <div>
    <h2>Sessions at the dyno</h2>
    <p v-if="fields.sessions" class="message">{{ fields.sessions }}</p>
    <div
      v-for="(session, index) in draft.sessions"
      :key="index"
      class="session d-flex flex-wrap ga-2 align-center mb-1"
    >
      <v-text-field
        type="datetime-local"
        :model-value="toTyped(session.starts_at)"
        :aria-label="`Session ${index + 1} begins`"
        :error="Boolean(fields[`sessions.${index}.starts_at`])"
        @change="session.starts_at = typedIn($event) ?? session.starts_at"
      />
      <span class="quiet">paid for</span>
      <v-text-field
        v-model="session.paid"
        class="number w-76"
        placeholder="4 h"
        :aria-label="`Session ${index + 1} is paid for`"
        :error="Boolean(fields[`sessions.${index}.paid`])"
      />
      <v-link :aria-label="`Remove session ${index + 1}`" @click="draft.sessions!.splice(index, 1)">
        ×
      </v-link>
      <p
        v-for="key in ['starts_at', 'paid']"
        v-show="fields[`sessions.${index}.${key}`]"
        :key="key"
        class="message"
      >
        {{ fields[`sessions.${index}.${key}`] }}
      </p>
    </div>
    <p>
      <v-link class="text-decoration-underline mr-2" @click="addSession"> Add session </v-link>
    </p>

    <div class="form mt-2">
      <NumberFields :rows="NUMBERS" :texts="draft.texts" :wrong="fields" />
    </div>
    <p
      v-for="known in choices?.tuning"
      :key="known.label"
      class="quiet prose size-15"
      data-test="tuning-took"
    >
      {{ known.label }}: tuning a setup took {{ known.minutes }} min here, median of {{ known.visits }}
      {{ known.visits === 1 ? 'visit' : 'visits' }}.
    </p>
    <v-checkbox
      v-model="draft.check_pass_first"
      label="A check pass first after every change of parts or tune"
    />

    <h2>Each setup</h2>
    <v-table class="figures setups">
      <thead>
        <tr>
          <th class="words">Setup</th>
          <th>Pulls</th>
          <th>Visits</th>
          <th class="words">Place</th>
          <th class="words">Its parts arrive</th>
          <th class="words">Never dropped</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ setup, place } in planned" :key="place">
          <td class="words"><SetupMark :position="positions[place]!" :size="20" /></td>
          <td>
            <v-text-field
              v-model="setup.pulls"
              class="number w-60"
              :aria-label="`Pulls of ${letterOf(positions[place]!)}`"
              :error="Boolean(fields[`setups.${place}.pulls`])"
            />
          </td>
          <td>
            <v-text-field
              v-if="place"
              v-model="setup.visits"
              class="number w-60"
              :aria-label="`Visits of ${letterOf(positions[place]!)}`"
              :error="Boolean(fields[`setups.${place}.visits`])"
            />
          </td>
          <td class="words">
            <v-select
              v-if="place"
              v-model="setup.place"
              :aria-label="`Place of ${letterOf(positions[place]!)}`"
              :items="choices?.places"
            />
            <p
              v-for="key in ['pulls', 'visits', 'place']"
              v-show="fields[`setups.${place}.${key}`]"
              :key="key"
              class="message"
            >
              {{ fields[`setups.${place}.${key}`] }}
            </p>
          </td>
          <td class="words">
            <v-text-field
              v-if="place"
              type="datetime-local"
              :model-value="toTyped(setup.available_at)"
              :aria-label="`Parts of ${letterOf(positions[place]!)} arrive`"
              @change="setup.available_at = typedIn($event)"
            />
          </td>
          <td class="words">
            <v-checkbox
              v-if="place"
              v-model="setup.protected"
              :aria-label="`The question is about ${letterOf(positions[place]!)}: it is never dropped for time`"
            />
          </td>
        </tr>
      </tbody>
    </v-table>

    <h2 class="mt-4">Running order</h2>
    <v-form class="d-flex flex-wrap ga-2" @submit.stop.prevent="useTemplate(template, templateSetup)">
      <v-select
        v-model="template"
        aria-label="Template of the order"
        :items="[{ value: '', label: '–' }, ...(choices?.templates ?? [])]"
      />
      <v-select
        v-model="templateSetup"
        aria-label="Setup that the template is about"
        :items="
          planned.slice(1).map((one) => ({
            value: one.place,
            label: `${letterOf(positions[one.place]!)} ${one.setup.name}`,
          }))
        "
      />
      <v-btn type="submit" :disabled="!template || begun">Apply</v-btn>
    </v-form>
    <p class="quiet prose size-15">
      {{ choices?.templates.find((one) => one.value === template)?.meaning }}
    </p>
    <p v-if="message" class="message">{{ message }}</p>
  </div>
</template>

<style scoped>
.form {
  --label: 200px;
}
.form :deep(.number) {
  width: 90px;
}
</style>
