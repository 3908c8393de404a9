<script setup lang="ts">
/** The engine of a programme: its sheet, and the setups as stacks of parts. */
import { computed } from 'vue'
import { useRouter } from 'vue-router'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import StacksPanel from '../parts/StacksPanel.vue'
import BuildTabs from './BuildTabs.vue'
import { useBuild } from './useBuild'
import { useFrame } from '../../app/frame'

const { programme, mayOperate } = useFrame()
const { data: build, error } = useBuild(() => programme.value.build_id)
const router = useRouter()
const newest = computed(() => build.value?.engine.revisions.at(-1))
const adopt = useAction(async (build_id: number) =>
  answer(
    await api.PUT('/api/programmes/{programme_id}/build', {
      params: { path: { programme_id: programme.value.id } },
      body: { build_id },
    }),
  ),
)
</script>

<template>
  <div>
    <ProblemNote :error="error ?? adopt.error.value" />
    <BuildTabs
      v-if="build"
      :build="build"
      :may-operate="mayOperate"
      :more="[{ key: 'setups', label: 'Setups' }]"
      @revision="(id) => router.push({ name: 'build', params: { id } })"
    >
      <template #beside>
        <span v-if="newest && newest.id !== build.id" class="ml-auto d-flex align-center ga-2">
          <span class="hand-note">Rev {{ newest.revision }} is newer: {{ newest.reason }}</span>
          <v-btn v-if="mayOperate" @click="adopt.mutate(newest.id)"> Use rev {{ newest.revision }} </v-btn>
        </span>
      </template>
      <template #setups><StacksPanel :programme="programme" /></template>
    </BuildTabs>
  </div>
</template>
