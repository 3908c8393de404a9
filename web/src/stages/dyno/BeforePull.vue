<script setup lang="ts">
/** What to bolt on next, by the clock, and the list of what must be seen to; each line is ticked by a person. */
import { computed, onScopeDispose, reactive, ref } from 'vue'

import { Problem } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import type { Setup } from '../../app/frame'
import { useKeys } from '../../app/keys'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { clock } from '../../ui/figures'
import { type NextPull, saidOf, useNextPull } from './useSession'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{
  session: number
  setup: Setup
  next: NextPull
  mounted: Setup | null
  mayOperate: boolean
}>()
const { tick, begin } = useNextPull(
  () => props.session,
  () => props.setup.id,
)
const emit = defineEmits<{ measured: [key: string, label: string] }>()
const words = reactive<Record<number, string>>({})
/** What a line asks to have measured: the fields, and what stands in them while they are empty. */
const MEASURED: Record<string, Record<string, string>> = {
  clearance: { intake: 'intake', exhaust: 'exhaust' },
  phase: { left: 'left bank °', right: 'right bank °' },
}
const measured = reactive<Record<string, string>>({})
const override = reactive<Record<number, string>>({})
const { data: me } = useMe()
const asked = ref<number | null>(null)
const undone = computed(() => props.next.due.filter((item) => !item.done_by))
const done = computed(() => props.next.due.filter((item) => item.done_by))
useKeys([
  {
    key: 'c',
    label: 'C',
    does: 'Start changeover timer of parts',
    press: () =>
      props.mayOperate && props.next.swaps.length && !props.next.change && begin.mutate(props.setup.id),
  },
])

const now = ref(Date.now())
const timer = setInterval(() => (now.value = Date.now()), 1000)
onScopeDispose(() => clearInterval(timer))
const running = computed(() => (props.next.change && !props.next.change.ended_at ? props.next.change : null))
const seconds = computed(() =>
  running.value
    ? Math.max(0, Math.round((now.value - new Date(running.value.begun_at).getTime()) / 1000))
    : 0,
)
const shown = (total: number) => `${Math.floor(total / 60)}:${String(total % 60).padStart(2, '0')}`
const late = computed(() => running.value !== null && seconds.value > props.next.planned_min * 60)

function see(item: NextPull['due'][number]) {
  asked.value = item.id
  tick.mutate({
    setup_id: props.setup.id,
    item_id: item.id,
    words: words[item.id] ?? '',
    measured: item.asks in MEASURED ? { ...measured } : {},
    override_reason: override[item.id] ?? '',
  })
}
/** Out of bounds: the owner may let it stand with a reason. */
const mayOverride = (item: number) =>
  asked.value === item &&
  me.value?.role === 'owner' &&
  tick.error.value instanceof Problem &&
  tick.error.value.code === 'out_of_bounds'
const wrong = (item: number, field?: string) =>
  asked.value === item && tick.error.value ? saidOf(tick.error.value, field) : ''
</script>

<template>
  <section class="before" data-test="before-pull" aria-label="Before the pull">
    <div v-if="next.swaps.length" class="swap border-b pb-3 mb-3">
      <h2>
        <SetupMark v-if="mounted" :position="mounted.position" :size="22" /> {{ mounted?.letter }}
        <span class="quiet">to</span> <SetupMark :position="setup.position" :size="22" /> {{ setup.letter }}
        <span class="clock ml-auto tabular" :class="{ late }" data-test="stopwatch" role="timer">
          <template v-if="running">{{ shown(seconds) }} <small>of</small></template>
          {{ shown(Math.round(next.planned_min * 60)) }}
        </span>
      </h2>
      <v-table>
        <tbody>
          <tr v-for="swap in next.swaps" :key="swap.label">
            <th scope="row">{{ swap.label }}</th>
            <td class="words">
              <s v-if="swap.off">{{ swap.off }}</s> <span v-else class="quiet">nothing</span>
            </td>
            <td class="words">
              {{ swap.on || 'left off' }} <span v-if="swap.heavy" class="quiet">{{ swap.heavy }}</span>
            </td>
          </tr>
        </tbody>
      </v-table>
      <p v-if="next.to_measure.length" class="measure hand-edge pl-3 prose size-16" data-test="to-measure">
        While apart, measure these assumed values:
        <button
          v-for="one in next.to_measure"
          :key="one.key"
          type="button"
          @click="emit('measured', one.key, one.label)"
        >
          {{ one.label }}
        </button>
      </p>
      <v-btn
        v-if="mayOperate && !running && !next.change"
        :disabled="begin.isPending.value"
        @click="begin.mutate(setup.id)"
      >
        Start changeover timer <kbd class="ml-2">C</kbd>
      </v-btn>
      <p v-if="begin.error.value" class="message" role="alert">{{ saidOf(begin.error.value) }}</p>
    </div>
    <template v-if="next.due.length">
      <h2>
        {{ undone.length ? `Checks outstanding: ${undone.length}` : 'All checks done' }}
      </h2>
      <ul>
        <li v-for="item in undone" :key="item.id">
          <label>
            <input
              type="checkbox"
              :checked="false"
              :disabled="!mayOperate || tick.isPending.value"
              @click.prevent="see(item)"
            />
            <span>{{ item.text }}</span>
          </label>
          <template v-if="item.asks in MEASURED">
            <span class="asks ml-auto">
              <input
                v-for="(hint, field) in MEASURED[item.asks]"
                :key="field"
                v-model="measured[field]"
                :placeholder="hint"
                :aria-label="`${item.text}, ${field}`"
                :aria-invalid="Boolean(wrong(item.id, String(field)))"
              />
            </span>
          </template>
          <input
            v-else-if="item.asks === 'words'"
            v-model="words[item.id]"
            class="asks ml-auto"
            placeholder="what was found"
            :aria-label="`${item.text}, what was found`"
          />
          <p v-if="wrong(item.id)" class="message" role="alert">{{ wrong(item.id) }}</p>
          <v-text-field
            v-if="mayOverride(item.id)"
            v-model="override[item.id]"
            density="compact"
            hide-details
            label="Override, reason"
            @keydown.enter.prevent="see(item)"
          >
            <template #append>
              <v-btn :disabled="!override[item.id]?.trim()" @click="see(item)">Override</v-btn>
            </template>
          </v-text-field>
        </li>
      </ul>
      <DisclosurePanel v-if="done.length" data-test="seen-to" :title="`Done: ${done.length}`">
        <ul>
          <li v-for="item in done" :key="item.id" class="done">
            {{ item.text }}
            <span class="quiet ml-auto">
              {{ item.done_by }}, {{ clock(item.done_at)
              }}<template v-if="item.words">: {{ item.words }}</template
              ><template v-if="item.override_reason">, out of bounds: {{ item.override_reason }}</template>
            </span>
          </li>
        </ul>
      </DisclosurePanel>
    </template>
  </section>
</template>

<style scoped>
.before {
  overflow-y: auto;
}
h2 {
  font-size: 16px;
  color: var(--ink);
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 4px 0 10px;
}
.clock {
  font-size: 40px;
  line-height: 1;
}
.clock small {
  font-size: 16px;
}
.clock.late {
  color: var(--hand);
}
.swap table {
  width: 100%;
  font-size: 17px;
  border-collapse: collapse;
  margin-bottom: 12px;
}
.swap th {
  text-align: left;
  font-weight: 400;
  color: var(--quiet);
  font-size: 13px;
}
.swap td,
.swap th {
  border-top: 1px solid var(--line);
  padding: 6px 10px 6px 0;
}
.measure button {
  text-decoration: underline;
  margin-right: 10px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  border-top: 1px solid var(--line);
  padding: 7px 0;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
}
li.done {
  font-size: 14px;
}
label {
  display: flex;
  gap: 12px;
  align-items: center;
  font-size: 17px;
  cursor: pointer;
}
input[type='checkbox'] {
  width: 26px;
  height: 26px;
  flex: none;
  accent-color: var(--hand);
}
span.asks input {
  width: 90px;
  margin-left: 8px;
}
li .message {
  flex-basis: 100%;
  margin: 0;
}
</style>
