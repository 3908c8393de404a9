<script setup lang="ts">
/** Pairs of records that may be one part, with what speaks for it: merged, linked, or said to be two. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import ProblemNote from '../../ui/ProblemNote.vue'

defineProps<{ mayOperate: boolean }>()
type Pair = Schema['LookalikeOut']
const queries = useQueryClient()
const { data: pairs } = useQuery({
  queryKey: ['parts', 'lookalikes'],
  queryFn: async () => answer(await api.GET('/api/lookalikes')),
})
const problem = ref<Error | null>(null)
const busy = ref(false)

async function settle(part_id: number, twin_id: number, as_what: Schema['SettledIn']['as_what']) {
  busy.value = true
  problem.value = null
  try {
    answer(
      await api.POST('/api/parts/{part_id}/lookalikes/{twin_id}', {
        params: { path: { part_id, twin_id } },
        body: { as_what },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['parts'] })
  } catch (caught) {
    problem.value = caught as Error
  }
  busy.value = false
}
function reason(pair: Pair) {
  const lines = [
    pair.shared_name ? `Both are called “${pair.shared_name}”` : 'Spelled alike',
    pair.agree.length ? `same ${pair.agree.join(', ').toLowerCase()}` : '',
    pair.differ.length ? `other ${pair.differ.join(', ').toLowerCase()}` : '',
  ]
  return `${lines.filter(Boolean).join('; ')}.`
}
</script>

<template>
  <DisclosurePanel
    v-if="pairs?.length"
    class="mb-3"
    :title="pairs.length === 1 ? 'Two records may be one part' : `${pairs.length} pairs may be one part`"
  >
    <ProblemNote :error="problem" />
    <p class="quiet prose size-15 mt-0">
      Merged, one record has the names of both; the other is archived and stays with what was pulled with it.
    </p>
    <ul class="plain-list pa-0 ma-0" aria-label="Parts that look like one">
      <li v-for="pair in pairs" :key="`${pair.one.id} ${pair.other.id}`" class="py-2 border-t">
        <router-link :to="{ name: 'part', params: { id: pair.one.id } }">{{ pair.one.name }}</router-link> and
        <router-link :to="{ name: 'part', params: { id: pair.other.id } }">{{ pair.other.name }}</router-link>
        <span class="quiet">
          {{
            pair.one.slot === pair.other.slot ? pair.one.slot : `${pair.one.slot}, ${pair.other.slot}`
          }}</span
        >
        <div class="quiet small">{{ reason(pair) }}</div>
        <div v-if="mayOperate" class="d-flex flex-wrap ga-2 mt-1">
          <template v-if="pair.one.slot === pair.other.slot">
            <v-btn :disabled="busy" @click="settle(pair.one.id, pair.other.id, 'merge')"
              >Merge into {{ pair.one.name }}</v-btn
            >
            <v-btn :disabled="busy" @click="settle(pair.other.id, pair.one.id, 'merge')"
              >Merge into {{ pair.other.name }}</v-btn
            >
            <v-btn :disabled="busy" @click="settle(pair.one.id, pair.other.id, 'link')"
              >Link, keep both</v-btn
            >
          </template>
          <v-btn :disabled="busy" @click="settle(pair.one.id, pair.other.id, 'distinct')"
            >Keep as two parts</v-btn
          >
        </div>
      </li>
    </ul>
  </DisclosurePanel>
</template>
