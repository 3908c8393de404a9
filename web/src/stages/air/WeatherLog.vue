<script setup lang="ts">
/** The weather log of one session, and the air that each of its pulls is corrected for. */
import { computed, ref, useTemplateRef } from 'vue'

import { answer, api, type Problem, type Schema, upload } from '../../app/api/client'
import { useAction, useMe } from '../../app/api/queries'
import { clock, day, figure } from '../../ui/figures'
import FileButton from '../../ui/FileButton.vue'
import LongTable from '../../ui/LongTable.vue'
import { useFrame } from '../../app/frame'
import ReasonDialog from '../../ui/ReasonDialog.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'

type Reading = Schema['SessionWeather']['readings'][number]
type PullAir = Schema['SessionWeather']['pulls'][number]

const props = defineProps<{ session: Schema['SessionWeather']; mayOperate: boolean }>()
const { setup } = useFrame()
const { data: me } = useMe()
const done = ref('')
const failed = ref('')
const voiding = ref<Reading | null>(null)
const asked = useTemplateRef<{ forget: () => void }>('asked')
const elevation = ref(props.session.elevation)
const airColumns = computed(() => [
  {
    key: 'barometer',
    title: props.session.pressure_unit,
    value: (row: Reading | PullAir) => row.barometer,
    text: (row: Reading | PullAir) => figure(row.barometer, 2),
  },
  {
    key: 'temperature',
    title: props.session.temperature_unit,
    value: (row: Reading | PullAir) => row.temperature,
    text: (row: Reading | PullAir) => figure(row.temperature),
  },
  {
    key: 'humidity',
    title: '%',
    value: (row: Reading | PullAir) => row.relative_humidity_percent,
    text: (row: Reading | PullAir) => figure(row.relative_humidity_percent, 0),
  },
  {
    key: 'factor',
    title: props.session.standard,
    value: (row: Reading | PullAir) => row.factor,
    text: (row: Reading | PullAir) => figure(row.factor, 4),
  },
])
const readingColumns = computed(() => [
  {
    key: 'at',
    title: 'Time',
    words: true,
    value: (row: Reading) => row.at,
    text: (row: Reading) => clock(row.at),
  },
  ...airColumns.value,
  { key: 'by', title: 'Read by', words: true, value: readBy },
  ...(props.mayOperate ? [{ key: 'void', title: 'Void', silent: true }] : []),
])
const pullColumns = computed(() => [
  { key: 'number', title: 'Pull', value: (pull: PullAir) => pull.number },
  {
    key: 'at',
    title: 'At',
    words: true,
    value: (pull: PullAir) => pull.at,
    text: (pull: PullAir) => clock(pull.at),
  },
  ...airColumns.value,
  { key: 'source', title: 'Source', words: true, value: airOf },
])
const readBy = (row: Reading) => [row.source, row.by].filter(Boolean).join(', ')
function airOf(pull: PullAir) {
  if (pull.barometer === null) return 'not known: log it'
  return pull.from_log ? 'from the log' : 'measured in the pull'
}
const restore = useAction(async (reading_id: number) =>
  answer(await api.POST('/api/weather/{reading_id}/restore', { params: { path: { reading_id } } })),
)
const strike = useAction(async (reason: string) =>
  answer(
    await api.POST('/api/weather/{reading_id}/strike', {
      params: { path: { reading_id: voiding.value!.id } },
      body: { reason },
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
  done.value = failed.value = ''
  send.mutate(file!, {
    onSuccess: (sent) => {
      const more = [
        sent.known && `${sent.known} were there already`,
        sent.outside && `${sent.outside} belong to another day`,
      ].filter(Boolean)
      done.value = `${sent.added} readings added${more.length ? `; ${more.join(', ')}` : ''}.`
    },
    onError: tell,
  })
}

function tell(caught: Error) {
  const fields = Object.values((caught as Problem).fields ?? {})
  failed.value = [caught.message, ...fields].join(' ')
}

function ask(reading: Reading) {
  strike.reset() // what was wrong with another is not wrong with this
  voiding.value = reading
}
function voidReading(reason: string) {
  strike.mutate(reason, {
    onSuccess: () => {
      asked.value?.forget()
      voiding.value = null
    },
  })
}
</script>

<template>
  <section class="mt-7">
    <header class="d-flex flex-wrap align-center gr-1 gc-5 mb-2">
      <h1>Weather log, {{ day(session.opened_at) }}, {{ session.stand }}</h1>
      <span v-if="me?.is_owner" class="quiet d-flex align-center ga-2">
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
    <p v-if="done" class="text">{{ done }}</p>
    <p v-if="failed" class="text message" role="alert">{{ failed }}</p>
    <div class="split">
      <LongTable noun="reading" :columns="readingColumns" :rows="session.readings" data-test="log">
        <template #empty><p class="text">No reading yet.</p></template>
        <template #row="{ item: row, measure }">
          <tr :ref="measure" :class="{ void: row.struck_reason }">
            <td class="words">{{ clock(row.at) }}</td>
            <td>{{ figure(row.barometer, 2) }}</td>
            <td>{{ figure(row.temperature) }}</td>
            <td>{{ figure(row.relative_humidity_percent, 0) }}</td>
            <td>{{ figure(row.factor, 4) }}</td>
            <td class="words">
              {{ readBy(row) }}
              <span v-if="row.struck_reason" class="d-inline-block quiet prose size-15"
                >Void: {{ row.struck_reason }}</span
              >
            </td>
            <td v-if="mayOperate">
              <v-btn
                v-if="row.struck_reason"
                size="small"
                variant="text"
                :aria-label="`Restore the reading of ${clock(row.at)}`"
                @click="restore.mutate(row.id)"
              >
                Restore
              </v-btn>
              <v-btn
                v-else-if="row.source !== 'stand'"
                size="small"
                variant="text"
                :aria-label="`Void the reading of ${clock(row.at)}`"
                @click="ask(row)"
              >
                Void
              </v-btn>
            </td>
          </tr>
        </template>
      </LongTable>
      <LongTable noun="pull" :columns="pullColumns" :rows="session.pulls">
        <template #empty><p class="text">No pull in this session.</p></template>
        <template #row="{ item: pull, measure }">
          <tr :ref="measure">
            <td class="mark">
              <SetupMark :position="setup(pull.setup_id).position" :size="18" /> {{ pull.number }}
            </td>
            <td class="words">{{ clock(pull.at) }}</td>
            <td>{{ figure(pull.barometer, 2) }}</td>
            <td>{{ figure(pull.temperature) }}</td>
            <td>{{ figure(pull.relative_humidity_percent, 0) }}</td>
            <td>{{ figure(pull.factor, 4) }}</td>
            <td class="words">
              <span v-if="pull.barometer === null" class="hand-note small">{{ airOf(pull) }}</span>
              <template v-else>{{ airOf(pull) }}</template>
            </td>
          </tr>
        </template>
      </LongTable>
    </div>
    <ReasonDialog
      v-if="voiding"
      ref="asked"
      :title="`Void the reading of ${clock(voiding.at)}`"
      what="It stays in the log with the reason, and can be restored."
      action="Void"
      :unsaved="`reason to void reading ${voiding.id}`"
      :error="strike.error.value"
      @send="voidReading"
      @cancel="voiding = null"
    />
  </section>
</template>

<style scoped>
.void td {
  text-decoration: line-through;
  color: var(--quiet);
}
</style>
