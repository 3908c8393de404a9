<script setup lang="ts">
/** The parts library: found by slot and by name, alias or what a part was made from. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import { useKeys } from '../../app/keys'
import { useAddress } from '../../app/useAddress'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import { inMoney } from '../../ui/figures'
import PagedTable from '../../ui/PagedTable.vue'
import { usePaged } from '../../ui/usePaged'
import LookalikePairs from './LookalikePairs.vue'
import NewPart from './NewPart.vue'
import { useSlots } from './useParts'

const { search, page, sortBy, archived, narrow, asked } = usePaged()
const slot = useAddress('slot')
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['parts', 'table', { ...asked.value, slot: slot.value }] as const),
  queryFn: async ({ queryKey: [, , query] }) =>
    answer(await api.GET('/api/parts-table', { params: { query } })),
  placeholderData: (before) => before,
})
const { data: slots } = useSlots()
const { data: me } = useMe()
const router = useRouter()
const adding = ref(false)
const used = computed(() => (slots.value ?? []).filter((known) => data.value?.slots.includes(known.value)))
const columns = computed(() => [
  { key: 'name', title: 'Part', sortable: true },
  { key: 'slot', title: 'Slot', sortable: true },
  { key: 'summary', title: 'Dimensions' },
  { key: 'price', title: inMoney('Price'), align: 'end' as const },
  { key: 'more', title: 'More' },
])
useKeys([
  { key: 'n', label: 'N', does: 'Add a part', press: () => (adding.value = me.value?.may_operate ?? false) },
])
</script>

<template>
  <div class="page">
    <header class="page-head">
      <h1>Parts</h1>
      <v-btn variant="text" :to="{ name: 'tune-sizes' }">Jet sizes</v-btn>
      <v-btn v-if="me?.may_operate && !adding" color="hand" variant="flat" @click="adding = true"
        >New part</v-btn
      >
    </header>
    <NewPart
      v-if="adding"
      @made="(id) => router.push({ name: 'part', params: { id } })"
      @back="adding = false"
    />
    <LookalikePairs v-if="!archived" :may-operate="me?.may_operate ?? false" />
    <PagedTable
      v-model:search="search"
      v-model:page="page"
      v-model:sort-by="sortBy"
      noun="part"
      placeholder="Name, alias, made from…"
      :columns="columns"
      :rows="data?.rows"
      :total="data?.total ?? 0"
      :busy="isFetching"
      :error="error"
    >
      <template #filter>
        <v-autocomplete
          v-if="used.length > 1 || slot"
          :model-value="slot"
          class="w-200"
          aria-label="Slot"
          :items="[{ value: '', label: 'All slots' }, ...used]"
          @update:model-value="narrow({ slot: $event || undefined })"
        />
      </template>
      <template #empty>
        <v-empty-state
          :title="archived ? 'Nothing is archived' : slot ? 'No part in this slot' : 'No part yet'"
          text="A part is anything that can go in a slot: a manifold, a carburetor, a cam."
        />
      </template>
      <template #row="{ item: part }">
        <tr>
          <td class="words py-1">
            <img
              v-if="part.photo"
              class="border mr-3 float-left"
              :src="`/api/photos/${part.photo}`"
              alt=""
              width="64"
              height="48"
              loading="lazy"
            />
            <router-link class="font-weight-bold" :to="{ name: 'part', params: { id: part.id } }">{{
              part.name
            }}</router-link>
            <div v-if="part.aliases.length" class="quiet">also {{ part.aliases.join(', ') }}</div>
            <div v-if="part.made_from" class="quiet">from {{ part.made_from }}: {{ part.modification }}</div>
          </td>
          <td class="words">{{ part.slot_label }}</td>
          <td class="words prose size-15">{{ part.summary.join(' · ') }}</td>
          <td class="text-right">{{ part.price || '–' }}</td>
          <td class="text-right">
            <ArchiveMenu
              v-if="me?.may_operate"
              :id="part.id"
              kind="part"
              :name="part.name"
              :archived="part.archived"
            />
          </td>
        </tr>
      </template>
    </PagedTable>
    <v-btn v-if="data" variant="text" class="mt-4" @click="archived = !archived">
      {{ archived ? 'Show current parts' : 'Show archived parts' }}
    </v-btn>
  </div>
</template>
