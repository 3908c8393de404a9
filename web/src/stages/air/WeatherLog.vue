<script setup lang="ts">
/** The weather log of one session, and the air that each of its pulls is corrected for. */
import { ref } from 'vue'

import { answer, api, type Problem, type Schema, upload } from '../../app/api/client'
import { useAction, useMe } from '../../app/api/queries'
import { clock, day, figure } from '../../ui/figures'
import FileButton from '../../ui/FileButton.vue'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'

const props = defineProps<{ session: Schema['SessionWeather']; mayOperate: boolean }>()
const { setup } = useFrame()
const { data: me } = useMe()
const told = ref('')
const failed = ref('')
const striking = ref<number | null>(null)
const reason = ref('')
const elevation = ref(props.session.elevation)
const restore = useAction(async (reading_id: number) =>
  answer(await api.POST('/api/weather/{reading_id}/restore', { params: { path: { reading_id } } })),
)
const strike = useAction(async (reading_id: number) =>
  answer(
    await api.POST('/api/weather/{reading_id}/strike', {
      params: { path: { reading_id } },
      body: { reason: reason.value },
    }),
  ),
)
const send = useAction(async (file: File) =>
  upload<Schema['ImportOut']>(`/api/sessions/${props.session.session_id}/weather/file`, file),
)
const place = useAction(async () =>
  answer(
    await api.PUT('/api/stands/{stand_id}/elevation', {
      params: { path: { stand_id: props.session.stand_id } },
      body: { elevation: elevation.value },
    }),
  ),
)

function take([file]: File[]) {
  told.value = failed.value = ''
  send.mutate(file!, {
    onSuccess: (done) => {
      const more = [
        done.known && `${done.known} were there already`,
        done.outside && `${done.outside} belong to another day`,
      ].filter(Boolean)
      told.value = `${done.added} readings taken${more.length ? `; ${more.join(', ')}` : ''}.`
    },
    onError: tell,
  })
}

function tell(caught: Error) {
  const fields = Object.values((caught as Problem).fields ?? {})
  failed.value = [caught.message, ...fields].join(' ')
}

function strikeOut(id: number) {
  failed.value = ''
  strike.mutate(id, {
    onSuccess: () => {
      striking.value = null
      reason.value = ''
    },
    onError: tell,
  })
}
</script>

<template>
  <section class="mt-7">
    <header class="d-flex flex-wrap align-center gr-1 gc-5 mb-2">
      <h1>Weather log, {{ day(session.opened_at) }}, {{ session.stand }}</h1>
      <span v-if="me?.role === 'Owner'" class="quiet d-flex align-center ga-2">
        The stand is
        <v-text-field
          v-model="elevation"
          class="number w-76"
          aria-label="Elevation of the stand"
          @change="place.mutate(undefined, { onError: tell })"
        />
        {{ session.elevation_unit }} above sea level
      </span>
      <span v-else-if="session.elevation" class="quiet">
        {{ session.elevation }} {{ session.elevation_unit }} above sea level
      </span>
      <span v-if="mayOperate" class="ml-auto">
        <FileButton
          accept=".csv,.tsv,.txt,text/csv"
          label="CSV file of the weather log"
          :loading="send.isPending.value"
          @chosen="take"
        >
          Import CSV…
        </FileButton>
      </span>
    </header>
    <p v-if="told" class="text">{{ told }}</p>
    <p v-if="failed" class="text message" role="alert">{{ failed }}</p>
    <div class="split">
      <v-table class="figures" data-test="log">
        <thead>
          <tr>
            <th class="words">Time</th>
            <th>{{ session.pressure_unit }}</th>
            <th>{{ session.temperature_unit }}</th>
            <th>%</th>
            <th>{{ session.standard }}</th>
            <th class="words">Read by</th>
            <th v-if="mayOperate"><span class="visually-hidden">Strike</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="row in session.readings" :key="row.id">
            <tr :class="{ struck: row.struck_reason }">
              <td class="words">{{ clock(row.at) }}</td>
              <td>{{ figure(row.barometer, 2) }}</td>
              <td>{{ figure(row.temperature) }}</td>
              <td>{{ figure(row.relative_humidity_percent, 0) }}</td>
              <td>{{ figure(row.factor, 4) }}</td>
              <td class="words">
                {{ row.source }}<template v-if="row.by">, {{ row.by }}</template>
              </td>
              <td v-if="mayOperate">
                <button
                  v-if="!row.struck_reason && row.source !== 'stand'"
                  type="button"
                  class="quiet"
                  :aria-label="`Strike the reading of ${clock(row.at)}`"
                  @click="striking = striking === row.id ? null : row.id"
                >
                  Strike
                </button>
                <v-btn
                  v-else-if="row.struck_reason"
                  size="x-small"
                  variant="text"
                  :aria-label="`Bring back the reading of ${clock(row.at)}`"
                  @click="restore.mutate(row.id)"
                >
                  Bring back
                </v-btn>
              </td>
            </tr>
            <tr v-if="row.struck_reason">
              <td colspan="7" class="words quiet prose size-15">Struck: {{ row.struck_reason }}</td>
            </tr>
            <tr v-if="striking === row.id">
              <td colspan="7" class="words">
                <v-form class="d-flex ga-2" @submit.prevent="strikeOut(row.id)">
                  <v-text-field
                    v-model="reason"
                    placeholder="Reason to void it"
                    aria-label="Reason to void it"
                  />
                  <v-btn type="submit" color="hand" variant="flat">Void</v-btn>
                </v-form>
              </td>
            </tr>
          </template>
          <tr v-if="!session.readings.length">
            <td colspan="7" class="words quiet">No reading yet.</td>
          </tr>
        </tbody>
      </v-table>
      <v-table class="figures">
        <thead>
          <tr>
            <th>Pull</th>
            <th class="words">At</th>
            <th>{{ session.pressure_unit }}</th>
            <th>{{ session.temperature_unit }}</th>
            <th>%</th>
            <th>{{ session.standard }}</th>
            <th class="words">Its air is</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="pull in session.pulls" :key="pull.pull_id">
            <td class="mark">
              <SetupMark :position="setup(pull.setup_id).position" :size="18" /> {{ pull.number }}
            </td>
            <td class="words">{{ clock(pull.at) }}</td>
            <td>{{ figure(pull.barometer, 2) }}</td>
            <td>{{ figure(pull.temperature) }}</td>
            <td>{{ figure(pull.relative_humidity_percent, 0) }}</td>
            <td>{{ figure(pull.factor, 4) }}</td>
            <td class="words">
              <span v-if="pull.barometer === null" class="hand-note small">not known: log it</span>
              <template v-else>{{ pull.from_log ? 'from the log' : 'measured in the pull' }}</template>
            </td>
          </tr>
        </tbody>
      </v-table>
    </div>
  </section>
</template>

<style scoped>
.struck td {
  text-decoration: line-through;
  color: var(--quiet);
}
</style>
