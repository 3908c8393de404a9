<script setup lang="ts">
/** The windows in which a pull may start, and how close to its like it must begin. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'

const props = defineProps<{ programme: number; mayOperate: boolean }>()
const queries = useQueryClient()
const key = computed(() => ['windows', props.programme] as const)
const { data } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(await api.GET('/api/programmes/{programme_id}/windows', { params: { path: { programme_id } } })),
})
const editing = ref('')
const draft = reactive({ low: '', high: '' })
const fields = ref<Record<string, string>>({})

function edit(window: Schema['WindowOut']) {
  editing.value = window.channel
  fields.value = {}
  Object.assign(draft, { low: window.low, high: window.high })
}
async function save() {
  try {
    await queries.cancelQueries({ queryKey: key.value })
    const saved = answer(
      await api.PUT('/api/programmes/{programme_id}/windows/{channel}', {
        params: { path: { programme_id: props.programme, channel: editing.value } },
        body: { ...draft },
      }),
    )
    queries.setQueryData(key.value, saved)
    void queries.invalidateQueries({ queryKey: ['stand'] })
    editing.value = ''
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : { low: (caught as Error).message }
  }
}
</script>

<template>
  <DisclosurePanel data-test="windows" title="Start windows">
    <v-form @submit.prevent="save">
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Channel</th>
            <th class="words">Window</th>
            <th class="words">Max. difference from comparison pulls</th>
            <th v-if="mayOperate"></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="window in data?.windows" :key="window.channel">
            <td class="words">{{ window.name }}</td>
            <template v-if="editing === window.channel">
              <td class="words">
                <span class="d-flex ga-2 align-center">
                  <v-text-field
                    v-model="draft.low"
                    class="number w-76"
                    :aria-label="`${window.name}, from`"
                    :error="Boolean(fields.low)"
                  />
                  to
                  <v-text-field
                    v-model="draft.high"
                    class="number w-76"
                    :aria-label="`${window.name}, to`"
                    :error="Boolean(fields.high)"
                  />
                </span>
                <p v-if="fields.low || fields.high" class="message">{{ fields.low ?? fields.high }}</p>
              </td>
              <td></td>
              <td><v-btn type="submit">Save</v-btn></td>
            </template>
            <template v-else>
              <td class="words">
                <template v-if="window.low">{{ window.low }} to {{ window.high }}</template>
                <span v-else class="quiet">no start limit</span>
              </td>
              <td class="words quiet">{{ window.within }}</td>
              <td v-if="mayOperate">
                <v-btn variant="text" :aria-label="`Change ${window.name}`" @click="edit(window)"
                  >Change</v-btn
                >
              </td>
            </template>
          </tr>
        </tbody>
      </v-table>
    </v-form>
  </DisclosurePanel>
</template>
