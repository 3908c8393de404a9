<script setup lang="ts">
/** Limits that stop a pull: what they are, what they cannot see, and the owner's own values. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ stand: number; setup: number }>()
const queries = useQueryClient()
const key = computed(() => ['limits', props.stand, props.setup] as const)
const { data, error } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, stand_id, setup_id] }) =>
    answer(
      await api.GET('/api/stands/{stand_id}/limits', { params: { path: { stand_id }, query: { setup_id } } }),
    ),
  placeholderData: (before) => before,
})
const editing = ref('')
const draft = reactive({ text: '', samples: '', of: '', watched: true, stops_unseen: true })
const fields = ref<Record<string, string>>({})
const blind = computed(() => data.value?.limits.filter((one) => one.blind && one.watched) ?? [])
/** Of a boosted engine: right boost alone does not guard it. */
const askedFor = computed(() => data.value?.limits.filter((one) => one.asked_for) ?? [])

function edit(limit: Schema['LimitOut']) {
  editing.value = limit.key
  fields.value = {}
  draft.text = limit.own && limit.value !== null ? String(Number(limit.value.toFixed(3))) : ''
  draft.samples = String(limit.samples)
  draft.of = String(limit.of)
  draft.watched = limit.watched
  draft.stops_unseen = limit.stops_unseen
}

async function save() {
  try {
    const saved = answer(
      await api.PUT('/api/stands/{stand_id}/limits/{key}', {
        params: { path: { stand_id: props.stand, key: editing.value }, query: { setup_id: props.setup } },
        body: { ...draft },
      }),
    )
    queries.setQueryData(key.value, saved)
    editing.value = ''
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : { text: (caught as Error).message }
  }
}
</script>

<template>
  <DisclosurePanel data-test="limits"
    ><template #title>
      Limits that stop a pull
      <span v-if="askedFor.length" class="hand-note" data-test="limits-asked-for">
        Boosted engine. NOT SET, not monitored:
        {{ askedFor.map((one) => one.label.toLowerCase()).join(', ') }}
        {{ data?.may_set ? '– set a value' : '– ask the owner for a value' }}
      </span>
      <span v-if="blind.length" class="hand-note">
        {{ blind.map((one) => one.label.toLowerCase()).join(', ') }}: no sensor on this stand, not monitored
      </span>
    </template>
    <ProblemNote :error="error" />
    <v-form @submit.prevent="save">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Limit</th>
            <th class="words">Stops</th>
            <th class="words">Samples out</th>
            <th v-if="data?.may_set"></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="limit in data?.limits"
            :key="limit.key"
            :class="{ 'opacity-60': !limit.watched || !limit.set }"
          >
            <td class="words">
              {{ limit.label }}<span v-if="limit.blind" class="quiet small"> no sensor</span>
            </td>
            <template v-if="editing === limit.key">
              <td class="words">
                <span class="d-flex ga-2 align-center">
                  <v-text-field
                    v-model="draft.text"
                    class="number w-76"
                    placeholder="usual"
                    :aria-label="`${limit.label}, value`"
                    :error="Boolean(fields.text)"
                  />
                  <span class="quiet unit">{{ limit.unit }}</span>
                </span>
                <v-checkbox v-model="draft.watched" label="monitored" />
                <v-checkbox
                  v-model="draft.stops_unseen"
                  density="compact"
                  hide-details
                  label="Stop the pull when its sensor gives no valid reading under load"
                />
                <p v-if="fields.text" class="message">{{ fields.text }}</p>
              </td>
              <td class="words">
                <span class="d-flex ga-2 align-center">
                  <v-text-field
                    v-model="draft.samples"
                    class="number w-60"
                    aria-label="Samples out"
                    :error="Boolean(fields.samples)"
                  />
                  of
                  <v-text-field
                    v-model="draft.of"
                    class="number w-60"
                    aria-label="Samples looked at"
                    :error="Boolean(fields.of)"
                  />
                </span>
                <p v-if="fields.samples || fields.of" class="message">{{ fields.samples ?? fields.of }}</p>
              </td>
              <td><v-btn type="submit">Save</v-btn></td>
            </template>
            <template v-else>
              <td class="words" :title="limit.why">
                <template v-if="!limit.watched">not monitored</template>
                <template v-else-if="!limit.set"><strong>NOT SET</strong>, not monitored</template>
                <template v-else>{{ limit.side }} {{ limit.threshold }}</template>
                <span v-if="limit.watched && limit.set && !limit.own" class="quiet small"> usual</span>
                <span v-if="limit.watched && limit.set && !limit.stops_unseen" class="quiet small">
                  warning only if its sensor fails
                </span>
              </td>
              <td class="words">{{ limit.samples }} of {{ limit.of }}</td>
              <td v-if="data?.may_set">
                <v-btn variant="text" :aria-label="`Change ${limit.label}`" @click="edit(limit)"
                  >Change</v-btn
                >
              </td>
            </template>
          </tr>
        </tbody>
      </v-table>
    </v-form>
    <p class="quiet small">
      A software stop is not a safety system: the stand needs its own wired emergency stop and its own limits.
    </p>
  </DisclosurePanel>
</template>
