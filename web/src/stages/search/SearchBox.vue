<script setup lang="ts">
/** The line that finds anything, over whatever screen one is on: some of each kind while it is typed. */
import { refDebounced } from '@vueuse/core'
import { computed, nextTick, onMounted, ref, useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'

import { Problem } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { KIND_NAMES, useSearch } from './found'
import FoundList from './FoundList.vue'
import LoadingLine from '../../ui/LoadingLine.vue'

const emit = defineEmits<{ done: [] }>()
const router = useRouter()
const q = ref('')
const settled = refDebounced(q, 200)
const { data, error, isFetching } = useSearch(settled)
const field = useTemplateRef<{ focus: () => void }>('field')
const list = useTemplateRef<HTMLElement>('list')
const wrong = computed(() => (error.value instanceof Problem ? error.value.fields.q : undefined))
const found = computed(() => (settled.value.trim().length > 1 ? data.value : undefined))
const nothing = computed(() => found.value && !found.value.found.length && !isFetching.value)
const EXAMPLES = ['tunnel ram', 'stumble', 'runner length 10–14 in', 'boost > 1 bar', 'by mats since 2026-11']

function go() {
  void router.push({ name: 'search', query: { q: q.value } })
  emit('done')
}
/** Down from the field into the rows and on, up again to the field. */
function step(event: KeyboardEvent, by: number) {
  const links = [...(list.value?.querySelectorAll('a') ?? [])]
  const at = links.indexOf(document.activeElement as HTMLAnchorElement) + by
  event.preventDefault()
  if (at < 0) field.value?.focus()
  else links[Math.min(at, links.length - 1)]?.focus()
}
onMounted(() => nextTick(() => field.value?.focus()))
</script>

<template>
  <div @keydown.down="step($event, 1)" @keydown.up="step($event, -1)">
    <v-form @submit.prevent="go">
      <v-text-field
        ref="field"
        v-model="q"
        type="search"
        aria-label="Find anything"
        placeholder="Test, engine, part, note, decision…"
        :loading="isFetching"
        :error-messages="wrong"
      >
        <template #loader="{ isActive }"><LoadingLine :active="isActive" /></template>
      </v-text-field>
    </v-form>
    <ProblemNote v-if="!wrong" :error="error" />
    <p v-if="!found" class="quiet my-2">
      For example:
      <template v-for="(example, place) in EXAMPLES" :key="example"
        ><template v-if="place">, </template><v-link @click="q = example">{{ example }}</v-link></template
      >
    </p>
    <div
      v-else
      ref="list"
      aria-live="polite"
      @click="($event.target as HTMLElement).closest('a') && emit('done')"
    >
      <p v-if="found.understood.length" class="quiet my-2">Understood: {{ found.understood.join('; ') }}</p>
      <section v-for="one in found.found" :key="one.kind" class="mt-3">
        <h2 class="size-15 ma-0">
          {{ KIND_NAMES[one.kind] }}
          <router-link
            v-if="one.total > one.rows.length"
            class="small"
            :to="{ name: 'search', query: { q, kind: one.kind } }"
            >all {{ one.total }}</router-link
          >
        </h2>
        <FoundList :rows="one.rows" :label="KIND_NAMES[one.kind]" />
      </section>
      <p v-if="nothing" class="text my-2">Nothing holds all of this.</p>
      <template v-if="nothing && found.otherwise.length">
        <h2 class="size-15 ma-0">Spelled like it</h2>
        <FoundList :rows="found.otherwise" label="Spelled like it" />
      </template>
    </div>
  </div>
</template>
