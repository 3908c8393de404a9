<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRouter } from 'vue-router'

import { type Schema, upload } from '../api/client'
import { refresh, useMe, useProgrammes } from '../api/queries'
import ProblemNote from '../components/ProblemNote.vue'
import { day } from '../figures'
import { useKeys } from '../keys'
import OpenTests from '../plan/OpenTests.vue'
import SetupMark from '../setups/SetupMark.vue'

const { data: programmes, error, isPending } = useProgrammes()
const { data: me } = useMe()
const router = useRouter()
const queries = useQueryClient()
const reading = ref(false)
const problem = ref<Error | null>(null)

async function readIn(event: Event) {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  reading.value = true
  problem.value = null
  try {
    const made = await upload<Schema['ReadBackOut']>('/api/archives', file)
    await refresh(queries)
    await router.push({ name: 'pulls', params: { id: made.id } })
  } catch (caught) {
    problem.value = caught as Error
  }
  reading.value = false
  field.value = ''
}
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Plan a new programme',
    press: () => void router.push({ name: 'new-programme' }),
  },
])
</script>

<template>
  <div class="list">
    <header class="page-head">
      <h1>Programmes</h1>
      <template v-if="me?.may_operate">
        <label class="read-in">
          {{ reading ? 'Reading…' : 'Read one in from a file' }}
          <input type="file" accept=".zip" aria-label="Programme in one file" @change="readIn" />
        </label>
        <v-btn class="hand" :to="{ name: 'new-programme' }">New programme</v-btn>
      </template>
    </header>
    <ProblemNote :error="error ?? problem" />
    <p v-if="isPending" class="text quiet">Fetching the programmes…</p>
    <p v-else-if="programmes && !programmes.length" class="text">
      No programme yet. A programme is one question, the setups that compete and what is held constant. Start
      Torvix with <kbd>./torvix demo</kbd> to see one at work.
    </p>
    <ol v-else-if="programmes" class="entries">
      <li v-for="programme in programmes" :key="programme.id">
        <router-link :to="{ name: 'curves', params: { id: programme.id } }">{{
          programme.question
        }}</router-link>
        <span class="quiet"
          >{{ programme.engine }} · {{ day(programme.created_at) }} · {{ programme.created_by }}</span
        >
        <span class="setups">
          <span v-for="setup in programme.setups" :key="setup.id">
            <SetupMark :position="setup.position" :size="20" /> {{ setup.name }}
          </span>
        </span>
      </li>
    </ol>
    <OpenTests v-if="programmes?.length" />
  </div>
</template>

<style scoped>
.read-in {
  margin-left: auto;
  margin-right: 14px;
  text-decoration: underline;
  cursor: pointer;
}
.read-in input {
  position: absolute;
  opacity: 0;
  width: 1px;
}
.read-in:focus-within {
  outline: 2px solid var(--ink);
}
.list {
  max-width: 900px;
  padding: 18px;
}
.setups {
  display: flex;
  flex-wrap: wrap;
  gap: 18px;
}
.setups > span {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
</style>
