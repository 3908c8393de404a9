<script setup lang="ts">
/** What a stamped number is in size: the shop's own table for each kind of jet, rod and bleed. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { done } from '../../app/undo'
import ProblemNote from '../../ui/ProblemNote.vue'

const queries = useQueryClient()
const { data, error } = useQuery({
  queryKey: ['tune-sizes'],
  queryFn: async () => answer(await api.GET('/api/tune-sizes')),
})
const typed = reactive<Record<string, string>>({})
const fields = ref<Record<string, string>>({})
watch(data, (fresh) => fresh && Object.assign(typed, fresh.tables), { immediate: true })
const kinds = computed(() => Object.entries(data.value?.kinds ?? {}))

async function put(tune_kind: string, text: string) {
  const fresh = answer(
    await api.PUT('/api/tune-sizes/{tune_kind}', { params: { path: { tune_kind } }, body: { text } }),
  )
  queries.setQueryData(['tune-sizes'], fresh)
}
async function save(kind: string, label: string) {
  const before = data.value?.tables[kind] ?? ''
  try {
    await put(kind, typed[kind] ?? '')
    fields.value = {}
    done(`The sizes of ${label.toLowerCase()} are saved.`, () => put(kind, before))
  } catch (caught) {
    const said = caught instanceof Problem ? [caught.message, ...Object.values(caught.fields)].join(' ') : ''
    fields.value = { [kind]: said || String(caught) }
  }
}
</script>

<template>
  <div class="page most-900 pa-4">
    <h1>Jet sizes</h1>
    <p class="text quiet">
      A row for each number: the number as stamped, then its diameter or its area, such as “72 1.83 mm”. The
      mixture adviser uses the table where it has every jet of a change; else it takes the number for the
      diameter.
    </p>
    <ProblemNote :error="error" />
    <v-form
      v-for="[kind, label] in kinds"
      :key="kind"
      class="my-3 most-480"
      :data-test="`sizes-${kind}`"
      @submit.prevent="save(kind, label)"
    >
      <v-textarea
        v-model="typed[kind]"
        :label="label"
        :readonly="!data?.may_write"
        rows="4"
        auto-grow
        max-rows="16"
        placeholder="72 1.83 mm"
        :error-messages="fields[kind]"
      />
      <v-btn v-if="data?.may_write" class="mt-1" type="submit">Save {{ label.toLowerCase() }} sizes</v-btn>
    </v-form>
  </div>
</template>
