<script setup lang="ts">
/** Rail and top line round the screens that belong to the whole shop rather than to one programme. */
import { useRouter } from 'vue-router'

import { computed } from 'vue'

import { useMe } from './api/queries'
import KeyHelp from './KeyHelp.vue'
import PersonMenu from './PersonMenu.vue'
import { useKeys } from './keys'

const router = useRouter()
const { data: me } = useMe()
const EVERYBODYS = [
  { name: 'programmes', label: 'Tests', holds: ['programmes', 'new-programme'] },
  { name: 'engines', label: 'Engines', holds: ['engines', 'build'] },
  { name: 'parts', label: 'Parts', holds: ['parts', 'part'] },
  { name: 'stacks', label: 'Stacks', holds: ['stacks'] },
  { name: 'air', label: 'Air', holds: ['air'] },
  { name: 'checklist', label: 'Checklist', holds: ['checklist'] },
]
const OWNERS = [
  { name: 'stands', label: 'Stands', holds: ['stands'] },
  { name: 'people', label: 'People', holds: ['people'] },
  { name: 'shop', label: 'Shop', holds: ['shop'] },
]
const places = computed(() => (me.value?.is_owner ? [...EVERYBODYS, ...OWNERS] : EVERYBODYS))
useKeys(
  [...EVERYBODYS, ...OWNERS].map((place, index) => ({
    key: String(index + 1),
    label: String(index + 1),
    does: `Go to ${place.label.toLowerCase()}`,
    press: () => places.value.includes(place) && void router.push({ name: place.name }),
  })),
)
</script>

<template>
  <div class="frame">
    <nav class="rail" aria-label="The shop">
      <strong class="home">Torvix</strong>
      <router-link
        v-for="place in places"
        :key="place.name"
        :to="{ name: place.name }"
        class="place"
        :class="{ here: place.holds.includes(String($route.name)) }"
      >
        {{ place.label }}
      </router-link>
    </nav>
    <div class="body">
      <header class="top"><PersonMenu class="me" /></header>
      <main><router-view /></main>
    </div>
    <KeyHelp />
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: 112px 1fr;
  min-height: 100vh;
  background: var(--ground);
  color: var(--ink);
}
.home {
  display: block;
  padding: 10px 12px 14px;
  font-size: 16px;
}
.place {
  display: block;
  padding: 8px 6px 8px 12px;
  border-left: 4px solid transparent;
  color: var(--ink);
  text-decoration: none;
}
.place.here {
  border-left-color: var(--ink);
  background: var(--ground);
  font-weight: 700;
}
.body {
  min-width: 0;
}
.top {
  display: flex;
  align-items: center;
  padding: 4px 18px;
  min-height: 40px;
  border-bottom: 1px solid var(--line);
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
    flex-wrap: wrap;
  }
}
</style>
