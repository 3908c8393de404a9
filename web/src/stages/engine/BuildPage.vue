<script setup lang="ts">
/** One revision of an engine, outside any programme. */
import { useRouter } from 'vue-router'

import { useMe } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import BuildHead from './BuildHead.vue'
import BuildTabs from './BuildTabs.vue'
import { useBuild } from './useBuild'

const props = defineProps<{ id: number }>()
const { data: build, error } = useBuild(() => props.id)
const { data: me } = useMe()
const router = useRouter()
</script>

<template>
  <div>
    <ProblemNote :error="error" />
    <template v-if="build && me">
      <BuildHead :build="build" :may-operate="me.may_operate" />
      <BuildTabs
        :build="build"
        :may-operate="me.may_operate"
        @revision="(id) => router.push({ name: 'build', params: { id } })"
      />
    </template>
  </div>
</template>
