<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { answer, api, type Schema } from '../../app/api/client'
import { useAction, usePullLog } from '../../app/api/queries'
import { useKeys } from '../../app/keys'
import ComparisonWindows from './ComparisonWindows.vue'
import ExcludeDialog from '../../ui/ExcludeDialog.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, day, figure } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'
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
const keep = useAction(async (id: number) =>
  answer(await api.POST('/api/pulls/{pull_id}/keep', { params: { path: { pull_id: id } } })),
)

watch(
  [log, () => route.hash],
  () =>
    requestAnimationFrame(() =>
      document.querySelector(route.hash || '#none')?.scrollIntoView({ block: 'center' }),
    ),
  { immediate: true },
)

useKeys([
  { key: 'f', label: 'F', does: 'Bring pulls from files', press: () => void router.push({ name: 'import' }) },
  { key: 'w', label: 'W', does: 'Enter figures by hand', press: () => void router.push({ name: 'figures' }) },
])

function told(row: Row): string[] {
  return [
    row.excluded_reason && `Excluded${row.judged_by ? ` by ${row.judged_by}` : ''}: ${row.excluded_reason}`,
    row.ended_why,
    row.override_reason && `Started outside a window: ${row.override_reason}`,
    row.first_after_change && 'First after a change',
    row.samples_lost ? `${row.samples_lost} samples lost on the line` : '',
    row.origin !== 'stand' && [row.origin_label, row.source].filter(Boolean).join(': '),
    row.comparable && row.comparable.level !== 'ok' && row.comparable.line,
    row.comparable?.let_in_reason && `Counts all the same: ${row.comparable.let_in_reason}`,
    ...row.anomalies,
    ...row.findings,
    row.state === 'complete' ? row.no_curve : '',
  ].filter((text): text is string => Boolean(text))
}
</script>

<template>
  <div class="page">
    <ProblemNote :error="error ?? keep.error.value" />
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
      No pull yet. Open a session at the stand and make the first one.
      <router-link :to="{ name: 'stand' }">To the stand</router-link>
    </p>
    <v-table v-else-if="log" class="figures">
      <thead>
        <tr>
          <th>Pull</th>
          <th class="words">Setup</th>
          <th class="words">Started</th>
          <th class="text-no-wrap">Factor<br />{{ label }}</th>
          <th>Peak torque<br />{{ log.torque_unit }} at rpm</th>
          <th>Peak power<br />{{ log.power_unit }} at rpm</th>
          <th class="words">Status</th>
          <th class="words">Notes and warnings</th>
          <th v-if="mayOperate" class="words"><span class="visually-hidden">Judge</span></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="row in log.rows"
          :id="`pull-${row.number}`"
          :key="row.id"
          :class="{ here: route.hash === `#pull-${row.number}` }"
        >
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
          </td>
          <td>
            {{ figure(row.peak_torque?.value) }} <span class="quiet">{{ row.peak_torque?.speed_rpm }}</span>
          </td>
          <td>
            {{ figure(row.peak_power?.value) }} <span class="quiet">{{ row.peak_power?.speed_rpm }}</span>
          </td>
          <td class="words">
            {{ row.state === 'complete' ? row.standing_label : row.state_label }}
            <span v-if="row.comparable && !row.comparable.counts" class="hand-note small"
              >not comparable</span
            >
          </td>
          <td class="words why prose size-15">
            <div v-for="text in told(row)" :key="text">{{ text }}</div>
          </td>
          <td v-if="mayOperate" class="words">
            <v-btn
              v-if="row.state === 'complete' && row.standing !== 'accepted'"
              :aria-label="`Include pull ${row.number}`"
              @click="keep.mutate(row.id)"
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
      </tbody>
    </v-table>
    <ComparisonWindows v-if="log?.rows.length" :programme="programme.id" :may-operate="mayOperate" />
    <ExcludeDialog v-if="excluding" :pull="excluding" @done="excluding = null" />
  </div>
</template>

<style scoped>
.why {
  min-width: 180px;
}
.here td {
  background: var(--panel);
  border-bottom-color: var(--ink);
}
</style>
