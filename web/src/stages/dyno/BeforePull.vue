<script setup lang="ts">
/** What to bolt on next, by the clock, and the list of what must be seen to; each line is ticked by a person. */
import { computed, onScopeDispose, reactive, ref } from 'vue'

import { Problem } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import type { Setup } from '../../app/frame'
import { useKeys } from '../../app/keys'
import { done as say } from '../../app/undo'
import QuantityField from '../../ui/QuantityField.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { clock } from '../../ui/figures'
import { type NextPull, saidOf, useNextPull } from './useSession'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import SwapRecord from './SwapRecord.vue'

const props = defineProps<{
  session: number
  setup: Setup
  next: NextPull
  mounted: Setup | null
  mayOperate: boolean
}>()
const { tick, begin, measure, revise } = useNextPull(
  () => props.session,
  () => props.setup.id,
)
const measuring = ref<NextPull['to_measure'][number] | null>(null)
const measuredText = ref('')
const sendMeasured = () =>
  measuring.value &&
  measure.mutate(
    { key: measuring.value.key, text: measuredText.value },
    {
      onSuccess: () => {
        measuring.value = null
        measuredText.value = ''
      },
    },
  )
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
  me.value?.is_owner &&
  tick.error.value instanceof Problem &&
  tick.error.value.code === 'out_of_bounds'
const wrong = (item: number, field?: string) =>
  asked.value === item && tick.error.value ? saidOf(tick.error.value, field) : ''
</script>

<template>
  <section class="overflow-y-auto" data-test="before-pull" aria-label="Before the pull">
    <div v-if="next.swaps.length" class="swap border-b pb-3 mb-3">
      <h2 class="d-flex ga-2 align-center ink size-16">
        <SetupMark v-if="mounted" :position="mounted.position" :size="22" /> {{ mounted?.letter }}
        <span class="quiet">to</span> <SetupMark :position="setup.position" :size="22" /> {{ setup.letter }}
        <span class="clock ml-auto tabular" :class="{ late }" data-test="stopwatch" role="timer">
          <template v-if="running">{{ shown(seconds) }} <small>of</small></template>
          {{ shown(Math.round(next.planned_min * 60)) }}
        </span>
      </h2>
      <v-table class="size-16 mb-3">
        <tbody>
          <tr v-for="swap in next.swaps" :key="swap.label">
            <th scope="row" class="quiet text-left">{{ swap.label }}</th>
            <td class="words">
              <s v-if="swap.off">{{ swap.off }}</s> <span v-else class="quiet">nothing</span>
            </td>
            <td class="words">
              {{ swap.on || 'left off' }}
              <span v-if="swap.handling.length" class="d-block quiet size-15">{{
                swap.handling.join('; ')
              }}</span>
            </td>
          </tr>
        </tbody>
      </v-table>
      <p v-if="next.to_measure.length" class="hand-edge pl-3 prose size-16 my-2" data-test="to-measure">
        While apart, measure these assumed values:
        <v-btn
          v-for="one in next.to_measure"
          :key="one.key"
          class="mr-2"
          :disabled="!mayOperate"
          @click="measuring = one"
        >
          {{ one.label }}
        </v-btn>
      </p>
      <v-form v-if="measuring" class="d-flex ga-2 align-center my-2" @submit.prevent="sendMeasured">
        <QuantityField
          v-model="measuredText"
          class="w-200"
          :label="measuring.label"
          placeholder="with its unit"
          :wrong="
            measure.error.value ? saidOf(measure.error.value, 'text') || saidOf(measure.error.value) : ''
          "
        />
        <v-btn type="submit" :disabled="measure.isPending.value">Save reading</v-btn>
        <v-btn @click="measuring = null">Cancel</v-btn>
      </v-form>
      <v-btn
        v-if="mayOperate && !running && !next.change"
        :disabled="begin.isPending.value"
        @click="begin.mutate(setup.id)"
      >
        Start changeover timer <kbd class="ml-2">C</kbd>
      </v-btn>
      <p v-if="begin.error.value" class="message" role="alert">{{ saidOf(begin.error.value) }}</p>
      <SwapRecord
        v-if="next.change"
        :session="session"
        :setup="setup.id"
        :change="next.change"
        :may-operate
      />
    </div>
    <div v-if="next.because_of_setup.length" class="hand-edge pl-3 my-2" data-test="because-of-setup">
      <p class="prose size-16">Because of what setup {{ setup.letter }} has:</p>
      <ul class="prose size-16 pl-4">
        <li v-for="line in next.because_of_setup" :key="line">{{ line }}</li>
      </ul>
    </div>
    <p
      v-if="next.instruments_due.length"
      class="hand-edge pl-3 prose size-16 my-2"
      data-test="instruments-due"
    >
      <strong>Instruments to check</strong>: {{ next.instruments_due.join('; ') }}.
      <router-link :to="{ name: 'instruments' }">Write the check down</router-link>
    </p>
    <div v-if="next.measured.length" class="hand-edge pl-3 my-2" data-test="measured">
      <p class="prose size-16">
        Measured on removal, not in the build yet:
        <template v-for="(one, at) in next.measured" :key="one.key"
          ><template v-if="at">; </template>{{ one.label }} {{ one.measured
          }}<span v-if="one.sheet" class="quiet">
            (the sheet has {{ one.sheet }}, {{ one.origin }})</span
          ></template
        >.
      </p>
      <template v-if="next.would_move.length">
        <p class="prose size-16 mt-1">With these the engine on paper changes:</p>
        <ul class="prose size-15 pl-4" data-test="would-move">
          <li v-for="line in next.would_move" :key="line">{{ line }}</li>
        </ul>
      </template>
      <p v-else class="prose size-16 mt-1">No calculated figure changes with these.</p>
      <v-btn
        v-if="mayOperate"
        class="mt-1"
        :disabled="revise.isPending.value"
        @click="
          revise.mutate(undefined, {
            onSuccess: () => say('A new revision of the build has them. Choose it under Engine.'),
          })
        "
      >
        Write into a new revision
      </v-btn>
      <p v-if="revise.error.value" class="message" role="alert">{{ saidOf(revise.error.value) }}</p>
    </div>
    <template v-if="next.due.length">
      <h2 class="ink size-16">
        {{ undone.length ? `Checks outstanding: ${undone.length}` : 'All checks done' }}
      </h2>
      <ul class="rows">
        <li v-for="item in undone" :key="item.id">
          <v-checkbox
            v-if="mayOperate"
            :label="item.text"
            :model-value="false"
            :disabled="tick.isPending.value"
            @update:model-value="see(item)"
          />
          <span v-else class="size-16">{{ item.text }}</span>
          <template v-if="item.asks in MEASURED">
            <span v-if="mayOperate" class="d-flex ga-2 ml-auto">
              <v-text-field
                v-for="(hint, field) in MEASURED[item.asks]"
                :key="field"
                v-model="measured[field]"
                class="number w-110"
                :placeholder="hint"
                :aria-label="`${item.text}, ${field}`"
                :error="Boolean(wrong(item.id, String(field)))"
              />
            </span>
          </template>
          <v-text-field
            v-else-if="mayOperate && item.asks === 'words'"
            v-model="words[item.id]"
            class="w-200 ml-auto"
            placeholder="what was found"
            :aria-label="`${item.text}, what was found`"
          />
          <p v-if="wrong(item.id)" class="message w-100" role="alert">{{ wrong(item.id) }}</p>
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
        <ul class="rows">
          <li v-for="item in done" :key="item.id" class="prose size-15">
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
.clock {
  font-size: 40px;
  line-height: 1;
}
.clock.late {
  color: var(--hand);
}
</style>
