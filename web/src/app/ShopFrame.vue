<script setup lang="ts">
/** Rail and top bar round the screens that belong to the whole shop rather than to one test. */
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

import { useMe } from './api/queries'
import AppShell from './AppShell.vue'
import { useKeys } from './keys'
import PersonMenu from './PersonMenu.vue'
import { useTitle } from './useTitle'

const route = useRoute()
const router = useRouter()
const { data: me } = useMe()
const EVERYBODYS = [
  { name: 'programmes', label: 'Tests', holds: ['programmes', 'new-programme', 'practice', 'overlay'] },
  { name: 'engines', label: 'Engines', holds: ['engines', 'build'] },
  { name: 'parts', label: 'Parts', holds: ['parts', 'part', 'tune-sizes'] },
  { name: 'guidelines', label: 'Guidelines', holds: ['guidelines', 'guideline'] },
  { name: 'stacks', label: 'Stacks', holds: ['stacks'] },
  { name: 'air', label: 'Air', holds: ['air'] },
  { name: 'checklist', label: 'Checklist', holds: ['checklist'] },
  { name: 'instruments', label: 'Instruments', holds: ['instruments'] },
]
const OWNERS = [
  { name: 'stands', label: 'Stands', holds: ['stands'] },
  { name: 'people', label: 'People', holds: ['people'] },
  { name: 'shop', label: 'Shop', holds: ['shop'] },
]
const ALL = [...EVERYBODYS, ...OWNERS]
const places = computed(() =>
  (me.value?.is_owner ? ALL : EVERYBODYS).map(({ name, label, holds }) => ({
    name,
    label,
    to: { name },
    here: holds.includes(String(route.name)),
  })),
)
useTitle(() =>
  route.name === 'background-work'
    ? 'Background work'
    : (places.value.find((place) => place.here)?.label ?? ''),
)
const KEYS = '1234567890-'
useKeys(
  ALL.map(({ name, label }, index) => ({
    key: KEYS[index]!,
    label: KEYS[index]!,
    does: `Go to ${label.toLowerCase()}`,
    press: () => places.value.some((place) => place.name === name) && void router.push({ name }),
  })),
)
</script>

<template>
  <AppShell label="The shop" :places="places" :width="112">
    <template #bar><PersonMenu class="ml-auto" /></template>
    <router-view />
  </AppShell>
</template>
