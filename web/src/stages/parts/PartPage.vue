<script setup lang="ts">
/** One part: what is known of it, where it comes from and what was made of it, how it did, pictures. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import PartFacts from './PartFacts.vue'
import PartLineage from './PartLineage.vue'
import PartPhotos from './PartPhotos.vue'
import PartUses from './PartUses.vue'
import { usePart } from './useParts'
import SheetLine from '../engine/SheetLine.vue'

const props = defineProps<{ id: number }>()
const { data: part, error } = usePart(() => props.id)
const { data: me } = useMe()
const queries = useQueryClient()
const router = useRouter()
const edits = reactive(new Map<string, { text: string; origin: Schema['Origin']; how: string }>())
const wrong = reactive(new Map<string, string>())
const failed = ref<Error | null>(null)
const mayOperate = computed(() => Boolean(me.value?.may_operate))

function edit(key: string, text: string, origin: Schema['Origin'], how: string) {
  edits.set(key, { text, origin, how })
  wrong.delete(key)
}

function changed(found: Schema['PartOut']) {
  queries.setQueryData(['part', found.id], found)
  void queries.invalidateQueries({ queryKey: ['parts'] })
}

async function choose(dimension: string, origin: Schema['Origin']) {
  try {
    changed(
      answer(
        await api.POST('/api/parts/{part_id}/readings/{dimension}/{origin}/choose', {
          params: { path: { part_id: props.id, dimension, origin } },
        }),
      ),
    )
  } catch (caught) {
    failed.value = caught as Error
  }
}

async function keep(dimension: string) {
  const given = edits.get(dimension)
  if (!given) return
  try {
    changed(
      answer(
        await api.PUT('/api/parts/{part_id}/readings/{dimension}/{origin}', {
          params: { path: { part_id: props.id, dimension, origin: given.origin } },
          body: { text: given.text, how: given.how },
        }),
      ),
    )
    if (edits.get(dimension) === given) edits.delete(dimension)
    failed.value = null
  } catch (caught) {
    const message = caught instanceof Problem ? caught.fields[dimension] : undefined
    if (message) wrong.set(dimension, message)
    else failed.value = caught as Error
  }
}
</script>

<template>
  <div class="part">
    <ProblemNote :error="error ?? failed" />
    <template v-if="part">
      <PartFacts :part="part" :may-operate="mayOperate" @changed="changed" />
      <div class="split mt-4" style="--first: minmax(480px, 1.2fr); --second: minmax(320px, 1fr)">
        <div>
          <header>
            <h2>Dimensions</h2>
            <span class="quiet">nominal</span><span class="quiet">measured</span>
          </header>
          <SheetLine
            v-for="line in part.lines"
            :key="line.key"
            :line="line"
            :edit="edits.get(line.key)"
            :wrong="wrong.get(line.key)"
            :readonly="!mayOperate"
            @edit="(text, origin, how) => edit(line.key, text, origin, how)"
            @keep="keep(line.key)"
            @choose="(origin) => choose(line.key, origin)"
          />
        </div>
        <div>
          <PartLineage
            :part="part"
            :may-operate="mayOperate"
            @made="(id) => router.push({ name: 'part', params: { id } })"
          />
          <PartUses :id="part.id" />
          <PartPhotos :part="part" :may-operate="mayOperate" @changed="changed" />
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.part {
  padding: 18px;
  max-width: 1220px;
}
header {
  display: grid;
  grid-template-columns: minmax(150px, 1fr) 186px 96px 44px;
  gap: 8px;
}
</style>
