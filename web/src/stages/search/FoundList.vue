<script setup lang="ts">
/** Rows of what was found, each leading to where it is looked at. */
import { day } from '../../ui/figures'
import { type Found, placeOf } from './found'

defineProps<{ rows: Found[]; label: string }>()
</script>

<template>
  <ul class="plain-list pa-0 ma-0" :aria-label="label">
    <li v-for="row in rows" :key="`${row.kind} ${row.id}`" class="py-1">
      <router-link :to="placeOf(row)" class="found">{{ row.title }}</router-link>
      <span v-if="row.archived" class="quiet"> (archived)</span>
      <div class="quiet small">
        {{ row.about }}<template v-if="row.at"> · {{ day(row.at) }}</template>
      </div>
    </li>
  </ul>
</template>
