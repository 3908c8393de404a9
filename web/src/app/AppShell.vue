<script setup lang="ts">
/**
 * Rail, top bar and page round every screen of somebody who has signed in; on a phone the rail is the bar below.
 * Slots: `bar` (what stands in the top bar), `under` (what stands between bar and page), default (the page).
 */
import { computed } from 'vue'
import type { RouteLocationRaw } from 'vue-router'
import { useDisplay } from 'vuetify'

import FindAnything from './FindAnything.vue'
import KeyHelp from './KeyHelp.vue'

export interface Place {
  /** Of the route; also its key. */
  name: string
  label: string
  to: RouteLocationRaw
  /** Whether this is where one is. */
  here: boolean
  /** How far this stage is. */
  state?: string
}
const props = defineProps<{
  /** What the rail leads through. */
  label: string
  places: Place[]
  width: number
}>()
const { xs } = useDisplay()
/** As many letters as have room beside each other, which are as many places as a thumb can tell apart; else More. */
const LETTERS = 40
const first = computed(() =>
  props.places.map((place) => place.label).join('').length > LETTERS
    ? props.places.slice(0, 5)
    : props.places,
)
const more = computed(() => props.places.slice(first.value.length))

function skip() {
  document.getElementById('main')?.focus()
}
</script>

<template>
  <a class="skip" href="#main" @click.prevent="skip">Skip to the page</a>
  <v-navigation-drawer
    v-if="!xs"
    permanent
    touchless
    tag="nav"
    :width="width"
    :aria-label="label"
    class="no-print"
  >
    <router-link
      to="/"
      class="d-block size-16 font-weight-bold text-decoration-none px-4 py-3"
      aria-label="Torvix: all tests"
    >
      <slot name="name">Torvix</slot>
    </router-link>
    <v-list nav role="group" :aria-label="label">
      <v-list-item
        v-for="place in places"
        :key="place.name"
        :to="place.to"
        :active="place.here"
        :aria-current="place.here ? 'page' : undefined"
        :title="place.label"
        :subtitle="place.state"
      />
    </v-list>
  </v-navigation-drawer>
  <v-app-bar tag="header" class="no-print">
    <div class="bar d-flex align-center gc-5 px-4"><slot name="bar" /><FindAnything /></div>
  </v-app-bar>
  <v-main id="main" tabindex="-1">
    <slot name="under" />
    <slot />
  </v-main>
  <v-bottom-navigation v-if="xs" :aria-label="label" class="no-print">
    <v-btn v-for="place in first" :key="place.name" :to="place.to" :active="place.here">{{
      place.label
    }}</v-btn>
    <v-menu v-if="more.length" location="top end">
      <template #activator="{ props: activator }">
        <v-btn v-bind="activator" :active="more.some((place) => place.here)">More</v-btn>
      </template>
      <v-list>
        <v-list-item
          v-for="place in more"
          :key="place.name"
          :to="place.to"
          :active="place.here"
          :title="place.label"
        />
      </v-list>
    </v-menu>
  </v-bottom-navigation>
  <KeyHelp />
</template>

<style scoped>
.bar {
  width: 100%;
  min-width: 0;
}
.skip {
  position: fixed;
  z-index: 3000;
  top: -60px;
  padding: 8px 14px;
  background: var(--ink);
  color: var(--panel);
}
.skip:focus {
  top: 0;
}
</style>
