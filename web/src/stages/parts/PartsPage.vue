<script setup lang="ts">
/** The parts library: found by slot and by name, alias or what a part was made from. */
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { useMe } from '../../app/api/queries'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { inMoney } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import NewPart from './NewPart.vue'
import { matching, useParts, useSlots } from './useParts'

const { data, error, isPending } = useParts()
const archived = ref(false)
const parts = computed(() => data.value?.filter((part) => part.archived === archived.value))
const { data: slots } = useSlots()
const { data: me } = useMe()
const router = useRouter()
const slot = ref('')
const sought = ref('')
const search = ref<HTMLInputElement>()
const adding = ref(false)
const found = computed(() => matching(parts.value ?? [], slot.value, sought.value))
const used = computed(() => {
  const present = new Set((parts.value ?? []).map((part) => part.slot))
  return (slots.value ?? []).filter((known) => present.has(known.value))
})
useKeys([
  { key: '/', label: '/', does: 'Search the parts', press: () => search.value?.focus() },
  { key: 'n', label: 'N', does: 'Add a part', press: () => (adding.value = true) },
])
</script>

<template>
  <div class="parts">
    <header class="page-head">
      <h1>Parts</h1>
      <v-btn v-if="me?.may_operate && !adding" color="hand" variant="flat" @click="adding = true"
        >New part</v-btn
      >
    </header>
    <ProblemNote :error="error" />
    <NewPart
      v-if="adding"
      @made="(id) => router.push({ name: 'part', params: { id } })"
      @back="adding = false"
    />
    <div class="find d-flex flex-wrap ga-1 mb-3">
      <v-text-field
        ref="search"
        v-model="sought"
        type="search"
        class="w-320"
        placeholder="Name, alias, made from…"
        aria-label="Search parts"
      />
      <button type="button" :aria-pressed="!slot" @click="slot = ''">All</button>
      <button
        v-for="known in used"
        :key="known.value"
        type="button"
        :aria-pressed="slot === known.value"
        @click="slot = known.value"
      >
        {{ known.label }}
      </button>
    </div>
    <p v-if="isPending" class="text quiet">Loading…</p>
    <p v-else-if="!parts?.length" class="text">
      {{
        archived
          ? 'Nothing is archived.'
          : 'No part yet. A part is anything that can go in a slot: a manifold, a carburetor, a cam.'
      }}
    </p>
    <p v-else-if="!found.length" class="text">No part is called that.</p>
    <v-table v-else class="figures">
      <thead>
        <tr>
          <th><span class="visually-hidden">Picture</span></th>
          <th class="words">Part</th>
          <th class="words">Slot</th>
          <th class="words">Dimensions</th>
          <th>{{ inMoney('Price') }}</th>
          <th><span class="visually-hidden">Archive</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="part in found" :key="part.id">
          <td class="words picture">
            <img
              v-if="part.photo"
              :src="`/api/photos/${part.photo}`"
              alt=""
              width="64"
              height="48"
              loading="lazy"
            />
          </td>
          <td class="words">
            <router-link :to="{ name: 'part', params: { id: part.id } }">{{ part.name }}</router-link>
            <div v-if="part.aliases.length" class="quiet">also {{ part.aliases.join(', ') }}</div>
            <div v-if="part.made_from" class="quiet">from {{ part.made_from }}: {{ part.modification }}</div>
          </td>
          <td class="words">{{ part.slot_label }}</td>
          <td class="words prose size-15">{{ part.summary.join(' · ') }}</td>
          <td>{{ part.price || '–' }}</td>
          <td>
            <ArchiveMenu
              v-if="me?.may_operate"
              :id="part.id"
              kind="part"
              :name="part.name"
              :archived="part.archived"
            />
          </td>
        </tr>
      </tbody>
    </v-table>
    <v-btn
      v-if="data?.some((part) => part.archived) || archived"
      variant="text"
      size="small"
      class="mt-4"
      @click="archived = !archived"
    >
      {{ archived ? 'Show current ones' : 'Show archived ones' }}
    </v-btn>
  </div>
</template>

<style scoped>
.parts {
  padding: 18px;
  max-width: 1180px;
}
.find button {
  padding: 5px 10px;
}
.find button[aria-pressed='true'] {
  background: var(--ink);
  color: var(--panel);
}
.picture {
  width: 80px;
}
img {
  object-fit: cover;
  display: block;
  border: 1px solid var(--line);
}
td a {
  color: var(--ink);
  font-weight: 700;
}
</style>
