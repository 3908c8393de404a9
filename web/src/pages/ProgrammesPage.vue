<script setup lang="ts">
import { useRouter } from 'vue-router'

import { useMe, useProgrammes } from '../api/queries'
import ProblemNote from '../components/ProblemNote.vue'
import { day } from '../figures'
import { useKeys } from '../keys'
import OpenTests from '../plan/OpenTests.vue'
import SetupMark from '../setups/SetupMark.vue'

const { data: programmes, error, isPending } = useProgrammes()
const { data: me } = useMe()
const router = useRouter()
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
      <v-btn v-if="me?.may_operate" class="hand" :to="{ name: 'new-programme' }">New programme</v-btn>
    </header>
    <ProblemNote :error="error" />
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
