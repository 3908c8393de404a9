<script setup lang="ts">
/** What people expect of each setup before it is pulled, and what came. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../api/client'
import ProblemNote from '../components/ProblemNote.vue'
import { figure, signed } from '../figures'
import { useFrame } from '../pages/frame'
import SetupMark from '../setups/SetupMark.vue'

const { programme, setup, day, mayOperate } = useFrame()
const queries = useQueryClient()
const { data: expected, error } = useQuery({
  queryKey: computed(() => ['expectations', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/outcomes', { params: { path: { programme_id } } })),
})
/** Those that can still be expected of: an arming seals. */
const others = computed(() =>
  programme.value.setups.filter(
    (known) => !known.is_baseline && !day.value.pulls.some((pull) => pull.setup_id === known.id),
  ),
)
const picked = ref<number | null>(null)
const chosen = computed({
  get: () => picked.value ?? others.value[0]?.id ?? 0,
  set: (id: number) => (picked.value = id),
})
const measure = ref('average_torque')
const text = ref('')
const sentence = ref('')
const message = ref('')
const WORDS: Record<string, string> = { hit: 'hit', near: 'near', missed: 'missed' }

function range(low: number, high: number): string {
  return low === high ? `${signed(low)} %` : `${signed(low)} to ${signed(high)} %`
}

async function expect() {
  try {
    answer(
      await api.POST('/api/programmes/{programme_id}/expectations', {
        params: { path: { programme_id: programme.value.id } },
        body: { setup_id: chosen.value, measure: measure.value, text: text.value, sentence: sentence.value },
      }),
    )
    text.value = sentence.value = message.value = ''
    // A list still on its way was asked for before this: it would be shown as the answer.
    await queries.cancelQueries({ queryKey: ['expectations'] })
    await queries.invalidateQueries({ queryKey: ['expectations'] })
  } catch (caught) {
    const fields = caught instanceof Problem ? Object.values(caught.fields) : []
    message.value = fields[0] ?? (caught as Error).message
  }
}
</script>

<template>
  <section>
    <h2>Expected of each setup, against the baseline</h2>
    <ProblemNote :error="error" />
    <table v-if="expected?.rows.length" class="figures" data-test="expectations">
      <thead>
        <tr>
          <th class="words">Setup</th>
          <th class="words">By</th>
          <th class="words">What</th>
          <th>Expected</th>
          <th>Came</th>
          <th class="words">Standing</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in expected.rows" :key="`${row.setup_id} ${row.measure} ${row.by}`">
          <td class="words"><SetupMark :position="setup(row.setup_id).position" :size="20" /></td>
          <td class="words">{{ row.by }}</td>
          <td class="words">
            {{ row.measure_label }}
            <div v-if="row.sentence" class="quiet told">{{ row.sentence }}</div>
          </td>
          <td>{{ range(row.low_percent, row.high_percent) }}</td>
          <td>{{ row.actual_percent === null ? '–' : `${signed(row.actual_percent)} %` }}</td>
          <td class="words">{{ WORDS[row.outcome] ?? (row.sealed ? 'sealed' : 'open') }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="expected" class="text">
      Nobody has said what to expect. Write it down before the first pull: afterwards nobody remembers.
    </p>
    <p v-for="person in expected?.people" :key="person.person" class="quiet told">
      {{ person.person }}: {{ person.hits }} of {{ person.count }} hit; what came was on average
      {{ signed(person.bias) }} points off what was expected<template v-if="person.spread !== null"
        >, ± {{ figure(person.spread) }}</template
      >.
    </p>
    <form v-if="mayOperate && others.length" @submit.prevent="expect">
      <select v-model="chosen" aria-label="Setup that is expected of">
        <option v-for="known in others" :key="known.id" :value="known.id">
          {{ known.letter }} {{ known.name }}
        </option>
      </select>
      <select v-model="measure" aria-label="What is expected">
        <option v-for="(label, key) in expected?.measures" :key="key" :value="key">{{ label }}</option>
      </select>
      <input
        v-model="text"
        placeholder="2 % or 1 to 3 %"
        aria-label="Expected gain"
        :aria-invalid="Boolean(message)"
      />
      <input v-model="sentence" class="sentence" placeholder="Why" aria-label="Why it is expected" />
      <v-btn type="submit" size="small">Expect it</v-btn>
      <p v-if="message" class="message" role="alert">{{ message }}</p>
    </form>
    <p v-else-if="!others.length" class="quiet told">
      Every setup has been armed: what is expected is sealed.
    </p>
  </section>
</template>

<style scoped>
.told {
  font-family: var(--text);
  font-size: 14px;
}
td {
  padding: 5px 8px !important;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 12px;
}
form > input {
  width: 130px;
}
.sentence {
  flex: 1;
}
.message {
  flex-basis: 100%;
  margin: 0;
}
</style>
