<script setup lang="ts">
/** What the parts of a plan did last time, in other tests; each can be laid over the others as curves. */
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'

import { answer, api } from '../../app/api/client'
import { useFrame } from '../../app/frame'
import { day } from '../../ui/figures'
import SetupMark from '../../ui/setups/SetupMark.vue'

const { programme, setup } = useFrame()
const { data } = useQuery({
  queryKey: computed(() => ['earlier', programme.value.id] as const),
  queryFn: async ({ queryKey: [, programme_id] }) =>
    answer(
      await api.GET('/api/programmes/{programme_id}/earlier-results', { params: { path: { programme_id } } }),
    ),
})
const items = computed(() =>
  (data.value?.parts ?? [])
    .flatMap((part) => part.rows.map((row) => row.overlay_key))
    .slice(0, 8)
    .join(','),
)
</script>

<template>
  <section v-if="data?.parts.length || data?.engine.length" class="mt-8" data-test="earlier">
    <h2>Last time</h2>
    <ul class="plain-list pa-0">
      <li v-for="part in data.parts" :key="`${part.setup_id} ${part.part_id}`" class="py-2 border-t">
        <SetupMark :position="setup(part.setup_id).position" :size="18" hollow />
        <router-link :to="{ name: 'part', params: { id: part.part_id } }">{{ part.part }}</router-link>
        <div v-for="row in part.rows" :key="row.overlay_key" class="prose size-15">
          {{ row.sentence }}
          <router-link :to="{ name: 'verdict', params: { id: row.programme_id } }">{{
            row.question
          }}</router-link><span v-if="row.ran_at" class="quiet">, {{ day(row.ran_at) }}</span>
        </div>
        <div v-if="part.more" class="quiet small">{{ part.more }} older on the part's page</div>
      </li>
      <li v-if="data.engine.length" class="py-2 border-t prose size-15">
        On this engine ran
        <template v-for="(test, at) in data.engine" :key="test.programme_id">
          <template v-if="at">, </template>
          <router-link :to="{ name: 'verdict', params: { id: test.programme_id } }">{{
            test.question
          }}</router-link> </template
        ><template v-if="data.engine_more"> and {{ data.engine_more }} more</template>.
      </li>
    </ul>
    <v-btn v-if="items" :to="{ name: 'overlay', query: { items } }">Overlay these curves</v-btn>
  </section>
</template>
