<script setup lang="ts">
/** All that one line finds, kind by kind, a page at a time; the address holds it. */
import { refDebounced } from '@vueuse/core'
import { computed } from 'vue'

import { Problem } from '../../app/api/client'
import { useAddress, useAddressParts } from '../../app/useAddress'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { type FoundKind, KIND_NAMES, PAGE_OF_ONE, useSearch } from './found'
import FoundList from './FoundList.vue'
import LoadingLine from '../../ui/LoadingLine.vue'

const change = useAddressParts()
const typed = useAddress('q')
const kindText = useAddress('kind')
const pageText = useAddress('page', '1')
const q = computed({
  get: () => typed.value,
  set: (text: string) => change({ q: text || undefined, page: undefined }, { step: false }),
})
const kind = computed({
  get: () => (kindText.value in KIND_NAMES ? (kindText.value as FoundKind) : null),
  set: (chosen: FoundKind | null | undefined) => change({ kind: chosen ?? undefined, page: undefined }),
})
const page = computed({
  get: () => Math.max(1, Number(pageText.value) || 1),
  set: (wanted: number) => (pageText.value = String(wanted)),
})
const { data, error, isFetching } = useSearch(refDebounced(typed, 200), kind, page)
const found = computed(() => (typed.value.trim().length > 1 ? data.value : undefined))
const shown = computed(() => found.value?.found.filter((one) => !kind.value || one.kind === kind.value) ?? [])
const pages = computed(() => (kind.value ? Math.ceil((shown.value[0]?.total ?? 0) / PAGE_OF_ONE) : 0))
const total = computed(() => found.value?.found.reduce((sum, one) => sum + one.total, 0) ?? 0)
const wrong = computed(() => (error.value instanceof Problem ? error.value.fields.q : undefined))
useFirstFocus('first')
</script>

<template>
  <div class="page">
    <header class="page-head">
      <h1>Search</h1>
      <span v-if="found" class="quiet" role="status">{{ total }} found</span>
    </header>
    <v-text-field
      ref="first"
      v-model="q"
      class="most-680"
      type="search"
      clearable
      aria-label="Find anything"
      placeholder="Test, engine, part, note, decision…"
      :loading="isFetching"
      :error-messages="wrong"
      @click:clear="q = ''"
    >
      <template #loader="{ isActive }"><LoadingLine :active="isActive" /></template>
    </v-text-field>
    <p class="quiet size-15 my-2">
      Words must all be there, in any order. A figure by its name: <i>runner length 10–14 in</i>,
      <i>boost &gt; 1 bar</i>. A person: <i>by mats</i>. A time: <i>2026-11</i>, <i>since 2026-11-02</i>.
    </p>
    <ProblemNote v-if="!wrong" :error="error" />
    <template v-if="found">
      <p v-if="found.understood.length" class="my-2">Understood: {{ found.understood.join('; ') }}</p>
      <v-btn-toggle v-model="kind" class="flex-wrap" aria-label="Kind">
        <v-btn v-for="one in found.found" :key="one.kind" :value="one.kind"
          >{{ KIND_NAMES[one.kind] }} {{ one.total }}</v-btn
        >
      </v-btn-toggle>
      <section v-for="one in shown" :key="one.kind" class="mt-4">
        <h2>
          {{ KIND_NAMES[one.kind] }}
          <v-link v-if="one.total > one.rows.length && !kind" class="small" @click="kind = one.kind"
            >all {{ one.total }}</v-link
          >
        </h2>
        <FoundList :rows="one.rows" :label="KIND_NAMES[one.kind]" />
      </section>
      <v-pagination
        v-if="pages > 1"
        v-model="page"
        class="mt-2"
        density="compact"
        :length="pages"
        :total-visible="7"
      />
      <p v-if="!found.found.length" class="text">Nothing holds all of this.</p>
      <template v-if="!found.found.length && found.otherwise.length">
        <h2>Spelled like it</h2>
        <FoundList :rows="found.otherwise" label="Spelled like it" />
      </template>
    </template>
  </div>
</template>
