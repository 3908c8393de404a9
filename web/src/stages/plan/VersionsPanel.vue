<script setup lang="ts">
/** The versions that a plan went through: what changed, by whom, and which ones pulls were made under. */
import type { Schema } from '../../app/api/client'
import { clock, day } from '../../ui/figures'

defineProps<{ versions: Schema['VersionOut'][] }>()
</script>

<template>
  <section data-test="versions">
    <p v-if="!versions.length" class="text">This plan was made before versions were kept.</p>
    <ol class="entries">
      <li v-for="version in [...versions].reverse()" :key="version.number">
        <strong>Version {{ version.number }}</strong>
        <span class="quiet">
          {{ version.made_by }}, {{ day(version.made_at) }} {{ clock(version.made_at) }};
          {{
            version.used_at
              ? `first pulled under it ${day(version.used_at)} ${clock(version.used_at)}`
              : 'not pulled under yet'
          }}
        </span>
        <ul v-if="version.changes.length">
          <li v-for="line in version.changes" :key="line">{{ line }}</li>
        </ul>
        <span v-else-if="version.number === 1" class="quiet">The plan as it began.</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
ul {
  font-family: var(--text);
  font-size: 15px;
  margin: 0;
  padding-left: 18px;
}
</style>
