<script setup lang="ts">
/** Rail, top line and running ribbon round every screen of a programme. */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import type { Schema } from './api/client'
import PersonMenu from './PersonMenu.vue'
import RunningRibbon from './RunningRibbon.vue'
import StandardMenu from './StandardMenu.vue'
import { figure } from '../ui/figures'
import { useKeys } from './keys'
import { type Day, type Programme, provideFrame } from './frame'

const props = defineProps<{ programme: Programme; day: Day; me: Schema['Me'] }>()
const route = useRoute()
const router = useRouter()
provideFrame(
  computed(() => props.programme),
  computed(() => props.day),
  computed(() => props.me.may_operate),
)

const kept = computed(() => props.day.pulls.filter((pull) => pull.standing === 'accepted').length)
const session = computed(() => (props.day.session && !props.day.session.closed_at ? 'open' : 'closed'))
const planned = computed(() => {
  const left = props.day.planned.reduce((sum, step) => sum + step.pulls, 0)
  return left ? `${left} to pull` : 'done'
})
const stages = computed(() => [
  { name: 'engine', label: 'Engine', state: props.programme.build },
  { name: 'plan', label: 'Plan', state: planned.value },
  { name: 'stand', label: 'Dyno', state: session.value },
  { name: 'pulls', label: 'Pulls', state: String(props.day.pulls.length) },
  { name: 'curves', label: 'Curves', state: `${kept.value} kept` },
  { name: 'verdict', label: 'Verdict', state: `${props.programme.setups.length} setups` },
  { name: 'sheet', label: 'Report', state: 'to issue' },
])
useKeys(
  ['engine', 'plan', 'stand', 'pulls', 'curves', 'verdict', 'sheet', 'programme-air'].map((name, index) => ({
    key: String(index + 1),
    label: String(index + 1),
    does: `Go to ${name === 'programme-air' ? 'the air' : name}`,
    press: () => void router.push({ name, query: route.query }),
  })),
)
</script>

<template>
  <div class="frame">
    <nav class="rail" aria-label="Stages">
      <router-link to="/" class="home" aria-label="All tests">Tx</router-link>
      <router-link
        v-for="stage in stages"
        :key="stage.name"
        :to="{ name: stage.name, query: $route.query }"
        class="stage"
      >
        {{ stage.label }}<small>{{ stage.state }}</small>
      </router-link>
    </nav>
    <div class="body">
      <header class="top">
        <h1>{{ programme.question }}</h1>
        <span class="quiet engine">{{ programme.engine }}, {{ programme.build }}</span>
        <span v-if="programme.from_file_at" class="hand-note small" data-test="from-file">
          from a file read in on {{ programme.from_file_at.slice(0, 10) }}; origins and authors are according
          to it
        </span>
        <StandardMenu />
        <router-link
          :to="{ name: 'programme-air' }"
          class="air"
          :title="day.air ? `Density altitude ${figure(day.air.density_altitude_ft, 0)} ft` : 'Weather log'"
        >
          <span class="quiet">Air&nbsp;</span>
          <template v-if="day.air">
            {{ figure(day.air.pressure, day.air.pressure_unit === 'inHg' ? 2 : 1) }}
            {{ day.air.pressure_unit }} · {{ figure(day.air.temperature) }} {{ day.air.temperature_unit }} ·
            {{ figure(day.air.relative_humidity_percent, 0) }} %
          </template>
          <template v-else>none yet</template>
        </router-link>
        <PersonMenu class="me" />
      </header>
      <RunningRibbon />
      <main><router-view /></main>
    </div>
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: 76px 1fr;
  min-height: 100vh;
  background: var(--ground);
  color: var(--ink);
}
.home {
  display: block;
  padding: 12px 0 12px 28px;
  font-size: 16px;
  font-weight: 700;
  color: var(--ink);
  text-decoration: none;
}
.stage {
  display: block;
  padding: 6px 6px 6px 12px;
  border-left: 4px solid transparent;
  color: var(--ink);
  text-decoration: none;
}
.stage small {
  display: block;
  color: var(--quiet);
  font-size: 11px;
  line-height: 1.3;
}
.stage.router-link-active {
  border-left-color: var(--ink);
  background: var(--ground);
  font-weight: 700;
}
.v-theme--stand .stage.router-link-active {
  border-left-color: var(--hand);
}
.stage.router-link-active small {
  font-weight: 400;
}
.body {
  min-width: 0;
}
.top {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 22px;
  padding: 4px 18px;
  min-height: 40px;
  border-bottom: 1px solid var(--line);
}
.air {
  color: inherit;
  text-decoration: none;
}
.air:hover {
  text-decoration: underline;
}
.me {
  margin-left: auto;
}
@media (max-width: 700px) {
  .frame {
    display: block;
  }
  .rail {
    position: static;
    height: auto;
    display: flex;
    align-items: stretch;
    overflow-x: auto; /* the stages are moved by a finger, the page is not */
  }
  .home {
    padding: 10px 12px;
  }
  .engine,
  .air {
    display: none;
  }
}
</style>
