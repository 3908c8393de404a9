<script setup lang="ts">
/** The engines of the shop, and a new one. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { useMe } from '../../app/api/queries'
import { saveFile } from '../../app/api/saveFile'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import PagedTable from '../../ui/PagedTable.vue'
import { usePaged } from '../../ui/usePaged'
import { day } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import NewEngine from './NewEngine.vue'

const { search, page, sortBy, archived, asked } = usePaged()
const { data, error, isFetching } = useQuery({
  queryKey: computed(() => ['engines', 'table', asked.value] as const),
  queryFn: async ({ queryKey: [, , query] }) =>
    answer(await api.GET('/api/engines-table', { params: { query } })),
  placeholderData: (before) => before,
})
const COLUMNS = [
  { key: 'name', title: 'Engine', sortable: true },
  { key: 'displacement', title: 'Displacement' },
  { key: 'owner', title: 'Owner', sortable: true },
  { key: 'revisions', title: 'Revisions' },
  { key: 'more', title: 'More' },
]
const { data: me } = useMe()
const router = useRouter()
const adding = ref(false)
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Describe a new engine',
    press: () => (adding.value = me.value?.may_operate ?? false),
  },
])
</script>

<template>
  <div class="page">
    <header class="page-head">
      <h1>Engines</h1>
      <v-btn v-if="me?.may_operate && !adding" color="hand" variant="flat" @click="adding = true"
        >New engine</v-btn
      >
    </header>
    <NewEngine
      v-if="adding"
      @made="(id) => router.push({ name: 'build', params: { id } })"
      @back="adding = false"
    />
    <PagedTable
      v-model:search="search"
      v-model:page="page"
      v-model:sort-by="sortBy"
      noun="engine"
      placeholder="Name, owner, reason of a revision…"
      :columns="COLUMNS"
      :rows="data?.rows"
      :total="data?.total ?? 0"
      :busy="isFetching"
      :error="error"
    >
      <template #empty>
        <v-empty-state
          v-if="!adding"
          :title="archived ? 'Nothing is archived' : 'No engine yet'"
          text="Describe one: bore, stroke and cylinders are enough to begin with."
        />
      </template>
      <template #row="{ item: engine }">
        <tr>
          <td class="words py-1">
            <router-link
              class="font-weight-bold"
              :to="{ name: 'build', params: { id: engine.revisions.at(-1)!.id } }"
              >{{ engine.name }}</router-link
            >
            <span v-if="engine.confidential" class="quiet small ml-2">confidential</span>
          </td>
          <td class="text-no-wrap">{{ engine.displacement || '–' }}</td>
          <td class="words">{{ engine.owner || '–' }}</td>
          <td class="words">
            <span class="d-flex flex-wrap gr-1 gc-4">
              <router-link
                v-for="revision in engine.revisions"
                :key="revision.id"
                :to="{ name: 'build', params: { id: revision.id } }"
                :title="revision.reason"
              >
                rev {{ revision.revision }}
                <span class="quiet">{{ day(revision.created_at) }}{{ revision.used ? ', pulled' : '' }}</span>
              </router-link>
            </span>
          </td>
          <td class="text-right">
            <ArchiveMenu
              v-if="me?.may_operate"
              :id="engine.id"
              kind="engine"
              :name="engine.name"
              :archived="engine.archived"
            >
              <v-list-item
                title="Save with its tests as a file"
                @click="saveFile(`/api/engines/${engine.id}/archive`)"
              />
            </ArchiveMenu>
          </td>
        </tr>
      </template>
    </PagedTable>
    <v-btn v-if="data" variant="text" class="mt-4" @click="archived = !archived">
      {{ archived ? 'Show current engines' : 'Show archived engines' }}
    </v-btn>
  </div>
</template>
