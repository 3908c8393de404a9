<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, api, type Schema } from '../../app/api/client'
import { useAction, usePullLog } from '../../app/api/queries'
import { useKeys } from '../../app/keys'
import { useAddress } from '../../app/useAddress'
import ComparisonWindows from './ComparisonWindows.vue'
import ExcludeDialog from '../../ui/ExcludeDialog.vue'
import LongTable from '../../ui/LongTable.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, day, figure } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useListAddress } from '../../ui/usePaged'
import { useFrame } from '../../app/frame'

type Row = Schema['PullRow']
const { programme, setup, standard, mayOperate } = useFrame()
const { data: log, error } = usePullLog(() => programme.value.id, standard)
const route = useRoute()
const router = useRouter()
const excluding = ref<Row | null>(null)
const label = computed(
  () => programme.value.standards.find((known) => known.id === standard.value)?.label ?? '',
)
const include = useAction(async (id: number) =>
  answer(await api.POST('/api/pulls/{pull_id}/keep', { params: { path: { pull_id: id } } })),
)

const { search, sortBy } = useListAddress()
const shown = useAddress('shown', 'all')
const SHOWN = [
  { value: 'all', label: 'All pulls' },
  { value: 'counts', label: 'Counted pulls' },
  { value: 'out', label: 'Pulls not counted' },
]
const rows = computed(
  () =>
    log.value?.rows.filter((row) => shown.value === 'all' || counts(row) === (shown.value === 'counts')) ??
    [],
)
const columns = computed(() => [
  { key: 'number', title: 'Pull', value: (row: Row) => row.number },
  {
    key: 'setup',
    title: 'Setup',
    words: true,
    value: (row: Row) => `${setup(row.setup_id).letter} ${setup(row.setup_id).name}`,
  },
  {
    key: 'started',
    title: 'Started',
    words: true,
    value: (row: Row) => row.started_at,
    text: (row: Row) => `${clock(row.started_at)} ${day(row.made_on)}`,
  },
  {
    key: 'factor',
    title: `Factor\n${label.value}`,
    value: (row: Row) => row.factor,
    text: (row: Row) => figure(row.factor, 4),
  },
  {
    key: 'torque',
    title: `Peak torque\n${log.value?.torque_unit} at rpm`,
    value: (row: Row) => row.peak_torque?.value,
    text: (row: Row) => `${figure(row.peak_torque?.value)} ${row.peak_torque?.speed_rpm ?? ''}`,
  },
  {
    key: 'power',
    title: `Peak power\n${log.value?.power_unit} at rpm`,
    value: (row: Row) => row.peak_power?.value,
    text: (row: Row) => `${figure(row.peak_power?.value)} ${row.peak_power?.speed_rpm ?? ''}`,
  },
  { key: 'status', title: 'Status', words: true, value: statusOf },
  { key: 'notes', title: 'Notes and warnings', words: true, value: (row: Row) => remarks(row).join(' ') },
  ...(mayOperate.value ? [{ key: 'judge', title: 'Include or exclude', words: true, silent: true }] : []),
])

const table = useTemplateRef<{ show: (row: Row) => Promise<void> }>('table')
/** Rows that come into sight are measured anew, which moves what lies below them: so long is followed. */
const MOST_FRAMES = 60
const STILL_FRAMES = 5
function inSight() {
  const box = document.querySelector(route.hash)?.getBoundingClientRect()
  return box !== undefined && box.top >= 0 && box.bottom <= window.innerHeight
}
/** A link to a pull brings it into sight, once: what is judged afterwards does not move the list. */
watch(
  [() => route.hash, () => table.value !== null],
  async () => {
    const row = rows.value.find(({ number }) => route.hash === `#pull-${number}`)
    if (!row) return
    for (let frame = 0, still = 0; frame < MOST_FRAMES && still < STILL_FRAMES; frame++) {
      still = inSight() ? still + 1 : 0
      const drawn = document.querySelector(route.hash)
      if (drawn) drawn.scrollIntoView({ block: 'center' })
      else await table.value?.show(row)
      await new Promise(requestAnimationFrame)
    }
  },
  { immediate: true, flush: 'post' },
)

function counts(row: Row) {
  return row.state === 'complete' && row.standing === 'accepted' && row.comparable?.counts !== false
}
function statusOf(row: Row) {
  const status = row.state === 'complete' ? row.standing_label : row.state_label
  return row.comparable && !row.comparable.counts ? `${status}, not comparable` : status
}

useKeys([
  { key: 'f', label: 'F', does: 'Import files', press: () => void router.push({ name: 'import' }) },
  { key: 'w', label: 'W', does: 'Enter figures', press: () => void router.push({ name: 'figures' }) },
])

/** What is to be said of a pull, a line each. */
function remarks(row: Row): string[] {
  return [
    row.tune.join(', '),
    row.excluded_reason && `Excluded${row.judged_by ? ` by ${row.judged_by}` : ''}: ${row.excluded_reason}`,
    row.ended_why,
    row.override_reason && `Started outside a window: ${row.override_reason}`,
    row.first_after_change && 'First after a change',
    row.tune_changes.length && `Changed since the pull before: ${row.tune_changes.join('; ')}`,
    row.samples_lost ? `${row.samples_lost} samples lost on the line` : '',
    row.origin !== 'stand' && [row.origin_label, row.source].filter(Boolean).join(': '),
    row.comparable && row.comparable.level !== 'ok' && row.comparable.line,
    row.comparable?.let_in_reason && `Included despite the warning: ${row.comparable.let_in_reason}`,
    ...row.anomalies,
    ...row.findings,
    row.state === 'complete' ? row.no_curve : '',
  ].filter((text): text is string => Boolean(text))
}
</script>

<template>
  <div class="page">
    <ProblemNote :error="error ?? include.error.value" />
    <p class="d-flex flex-wrap ga-2 align-center mb-2">
      <template v-if="mayOperate">
        <v-btn :to="{ name: 'import' }">Import files <kbd>F</kbd></v-btn>
        <v-btn :to="{ name: 'figures' }">Enter figures <kbd>W</kbd></v-btn>
      </template>
      <span v-if="log?.rows.length" class="ml-auto prose size-15">
        Curves as
        <a :href="`/api/programmes/${programme.id}/curves.csv?standard=${standard}`" download>CSV</a>,
        <a :href="`/api/programmes/${programme.id}/curves.xlsx?standard=${standard}`" download>XLSX</a>
        <template v-if="mayOperate"
          >; all of the test as
          <a :href="`/api/programmes/${programme.id}/archive`" download>one file</a></template
        >
      </span>
    </p>
    <p v-if="log && !log.rows.length" class="text">
      No pull yet. Open a session at the dyno and make the first one.
      <router-link :to="{ name: 'stand' }">Go to the dyno</router-link>
    </p>
    <LongTable
      v-else-if="log"
      ref="table"
      v-model:search="search"
      v-model:sort-by="sortBy"
      noun="pull"
      slash
      :columns="columns"
      :rows="rows"
    >
      <template #filter>
        <v-select
          v-if="log.rows.length > 1"
          v-model="shown"
          class="w-200"
          aria-label="Pulls shown"
          :items="SHOWN"
        />
      </template>
      <template #empty><p class="text">No pull of this kind.</p></template>
      <template #row="{ item: row, measure }">
        <tr :id="`pull-${row.number}`" :ref="measure" :class="{ here: route.hash === `#pull-${row.number}` }">
          <td>
            <router-link
              :to="{ name: 'pull', params: { pull: row.id } }"
              :aria-label="`Look into pull ${row.number}`"
              >{{ row.number }}</router-link
            >
          </td>
          <td class="words mark text-no-wrap">
            <SetupMark :position="setup(row.setup_id).position" :struck="row.standing === 'excluded'" />
            {{ setup(row.setup_id).name }}
            <span class="quiet small" title="Revision of the engine">rev {{ row.revision }}</span>
          </td>
          <td class="words text-no-wrap">
            {{ clock(row.started_at) }} <span class="quiet small">{{ day(row.made_on) }}</span>
          </td>
          <td>
            {{ figure(row.factor, 4) }}
            <span v-if="!row.factor_inside" class="hand-note small">outside the standard</span>
            <span v-if="row.not_repaired.length" class="hand-note small" :title="row.not_repaired.join(' ')">
              not all corrected
            </span>
          </td>
          <td>
            {{ figure(row.peak_torque?.value) }} <span class="quiet">{{ row.peak_torque?.speed_rpm }}</span>
          </td>
          <td>
            {{ figure(row.peak_power?.value) }} <span class="quiet">{{ row.peak_power?.speed_rpm }}</span>
          </td>
          <td class="words">
            <v-chip
              :text="statusOf(row)"
              :variant="counts(row) ? 'outlined' : 'text'"
              :class="row.comparable && !row.comparable.counts ? 'hand-note' : { quiet: !counts(row) }"
            />
          </td>
          <td class="words why prose size-15">
            <div v-for="text in remarks(row)" :key="text">{{ text }}</div>
          </td>
          <td v-if="mayOperate" class="words">
            <v-btn
              v-if="row.state === 'complete' && row.standing !== 'accepted'"
              :aria-label="`Include pull ${row.number}`"
              @click="include.mutate(row.id)"
            >
              Include
            </v-btn>
            <v-btn
              v-if="row.state === 'complete' && row.standing !== 'excluded'"
              :aria-label="`Exclude pull ${row.number}`"
              @click="excluding = row"
            >
              Exclude
            </v-btn>
          </td>
        </tr>
      </template>
    </LongTable>
    <ComparisonWindows v-if="log?.rows.length" :programme="programme.id" :may-operate="mayOperate" />
    <ExcludeDialog v-if="excluding" :pull="excluding" @done="excluding = null" />
  </div>
</template>

<style scoped>
.why {
  min-width: 180px;
  width: 50%;
}
.here td {
  background: var(--panel);
  border-bottom-color: var(--ink);
}
</style>
