<script setup lang="ts">
/** Every 100 rpm: torque and power of all setups, to copy or to take along. */
import { computed, ref } from 'vue'

import type { Schema } from '../../app/api/client'
import { figure, signed } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { undividedWords } from '../verdict/words'

const props = defineProps<{ curves: Schema['Curves'] }>()
const cursor = defineModel<number>('cursor', { required: true })
const { programme, setup } = useFrame()
const copied = ref('')
const files = computed(() => {
  const { standard, school, counting } = props.curves
  const query = new URLSearchParams({ standard, school, counting })
  return ['csv', 'xlsx', 'svg', 'png'].map((kind) => ({
    kind,
    address: `/api/programmes/${programme.value.id}/setups.${kind}?${query}`,
  }))
})

/** As a spreadsheet takes it: tabs between cells. */
async function copy() {
  const { curves } = props
  const heads = [
    'rpm',
    ...curves.setups.flatMap(({ setup_id }) => {
      const { letter } = setup(setup_id)
      return [`${letter} ${curves.torque_unit}`, `${letter} ${curves.power_unit}`]
    }),
  ]
  const rows = curves.speed_rpm.map((speed, at) => [
    String(speed),
    ...curves.setups.flatMap((one) => [one.torque[at]!.toFixed(1), one.power[at]!.toFixed(1)]),
  ])
  try {
    await navigator.clipboard.writeText([heads, ...rows].map((row) => row.join('\t')).join('\n'))
    copied.value = `${rows.length} rows are copied.`
  } catch {
    copied.value = 'The browser does not let this page copy. Take the CSV.'
  }
}
</script>

<template>
  <section>
    <div class="d-flex ga-4 align-center mb-2">
      <v-btn @click="copy">Copy the table</v-btn>
      <a v-for="file in files" :key="file.kind" :href="file.address" download>{{
        file.kind.toUpperCase()
      }}</a>
      <span role="status" class="quiet">{{ copied }}</span>
    </div>
    <div class="scroll overflow-auto" tabindex="0" role="group" aria-label="Curves as a table">
      <v-table class="figures" data-test="curve-table">
        <thead>
          <tr>
            <th>rpm</th>
            <th v-for="one in curves.setups" :key="one.setup_id" colspan="3">
              <SetupMark :position="setup(one.setup_id).position" :size="18" />
              {{ curves.torque_unit }}, {{ curves.power_unit }}, to {{ setup(curves.reference_id).letter }}
            </th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="(speed, at) in curves.speed_rpm"
            :key="speed"
            :class="{ now: speed === cursor }"
            @click="cursor = speed"
          >
            <td>{{ speed }}</td>
            <template v-for="one in curves.setups" :key="one.setup_id">
              <td class="first">{{ figure(one.torque[at]) }}</td>
              <td>{{ figure(one.power[at]) }}</td>
              <td>
                <template v-if="one.difference">
                  {{ signed(one.difference.value[at]) }}
                  <span class="quiet">{{ undividedWords(one.difference.state[at]) }}</span>
                </template>
                <template v-else>–</template>
              </td>
            </template>
          </tr>
        </tbody>
      </v-table>
    </div>
  </section>
</template>

<style scoped>
.scroll {
  max-height: calc(100vh - 210px);
}
thead th {
  position: sticky;
  top: 0;
  background: var(--ground);
}
.first {
  border-left: 1px solid var(--line);
}
.now td {
  background: var(--panel);
  font-weight: 700;
}
</style>
