<script setup lang="ts">
/** The engines of the shop, and a new one. */
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'

import { useMe } from '../../app/api/queries'
import ArchiveMenu from '../../ui/ArchiveMenu.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import NewEngine from './NewEngine.vue'
import { useEngines } from './useBuild'

const { data, error, isPending } = useEngines()
const archived = ref(false)
const engines = computed(() => data.value?.filter((engine) => engine.archived === archived.value))
const { data: me } = useMe()
const router = useRouter()
const adding = ref(false)
useKeys([{ key: 'n', label: 'N', does: 'Describe a new engine', press: () => (adding.value = true) }])
</script>

<template>
  <div class="most-900 pa-4">
    <header class="page-head">
      <h1>Engines</h1>
      <v-btn v-if="me?.may_operate && !adding" color="hand" variant="flat" @click="adding = true"
        >New engine</v-btn
      >
    </header>
    <ProblemNote :error="error" />
    <NewEngine
      v-if="adding"
      @made="(id) => router.push({ name: 'build', params: { id } })"
      @back="adding = false"
    />
    <p v-if="isPending" class="text quiet">Loading…</p>
    <p v-else-if="engines && !engines.length && !adding" class="text">
      {{
        archived
          ? 'Nothing is archived.'
          : 'No engine yet. Describe one: bore, stroke and cylinders are enough to begin with.'
      }}
    </p>
    <ol v-else-if="engines" class="entries">
      <li v-for="engine in engines" :key="engine.id">
        <span class="d-flex justify-space-between ga-2">
          <router-link :to="{ name: 'build', params: { id: engine.revisions.at(-1)!.id } }">
            {{ engine.name }}
          </router-link>
          <ArchiveMenu
            v-if="me?.may_operate"
            :id="engine.id"
            kind="engine"
            :name="engine.name"
            :archived="engine.archived"
          />
        </span>
        <span class="quiet">
          {{
            [engine.displacement, engine.owner, engine.confidential && 'confidential']
              .filter(Boolean)
              .join(' · ')
          }}
        </span>
        <span class="revisions d-flex flex-wrap gr-1 gc-5">
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
      </li>
    </ol>
    <v-btn
      v-if="data?.some((engine) => engine.archived) || archived"
      variant="text"
      size="small"
      class="mt-4"
      @click="archived = !archived"
    >
      {{ archived ? 'Show current ones' : 'Show archived ones' }}
    </v-btn>
  </div>
</template>
