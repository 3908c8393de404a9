<script setup lang="ts">
import { useProgrammes } from '../api/queries'
import ProblemNote from '../components/ProblemNote.vue'
import { day } from '../figures'
import SetupMark from '../setups/SetupMark.vue'

const { data: programmes, error, isPending } = useProgrammes()
</script>

<template>
  <div class="list">
    <h1>Programmes</h1>
    <ProblemNote :error="error" />
    <p v-if="isPending" class="text quiet">Fetching the programmes…</p>
    <p v-else-if="programmes && !programmes.length" class="text">
      No programme yet. A programme is one question, the setups that compete and what is held constant. Start
      Torvix with <kbd>./torvix demo</kbd> to see one at work.
    </p>
    <ol v-else-if="programmes">
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
  </div>
</template>

<style scoped>
.list {
  max-width: 900px;
  padding: 18px;
}
h1 {
  font-size: 22px;
  margin-bottom: 18px;
}
ol {
  list-style: none;
  padding: 0;
  margin: 0;
  border-top: 1px solid var(--line);
}
li {
  display: grid;
  gap: 6px;
  padding: 16px 0;
  border-bottom: 1px solid var(--line);
}
li a {
  font-size: 16px;
  font-weight: 700;
  color: var(--ink);
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
