<script setup lang="ts">
/** No session is open: the cautions, and who has read them opens one on a stand. */
import { computed, reactive } from 'vue'

import { useMe } from '../../app/api/queries'
import type { Day } from '../../app/frame'
import CautionsCard from './CautionsCard.vue'
import { useCautions } from './useSession'

const props = defineProps<{
  programme: number
  stands: Day['stands']
  last: Day['session']
  mayOperate: boolean
  pending: boolean
}>()
const emit = defineEmits<{ open: [stand: number, fluids: Record<string, string>] }>()
const fluids = reactive({
  fuel: props.last?.fuel ?? '',
  oil: props.last?.oil ?? '',
  coolant: props.last?.coolant ?? '',
})
const FLUIDS = { fuel: 'Fuel in the tank', oil: 'Oil', coolant: 'Coolant' } as const
const { data: me } = useMe()
const { data: cautions } = useCautions(() => props.programme)
const name = computed(() => me.value?.name ?? '')
</script>

<template>
  <div class="most-680 d-grid ga-3 justify-items-start all-columns">
    <h1 class="title">No session is open</h1>
    <CautionsCard :programme="programme" />
    <template v-if="mayOperate">
      <div class="d-flex flex-wrap ga-3">
        <v-text-field
          v-for="(label, key) in FLUIDS"
          :key="key"
          v-model="fluids[key]"
          :label="label"
          class="w-200"
          maxlength="80"
        />
      </div>
      <v-btn
        v-for="stand in stands"
        :key="stand.id"
        color="hand"
        variant="flat"
        :disabled="pending || !cautions"
        @click="emit('open', stand.id, { ...fluids })"
      >
        I, {{ name }}, have read this: open a session on {{ stand.name }}
      </v-btn>
      <v-empty-state
        v-if="!stands.length"
        title="No stand yet"
        text="A pull needs a stand. The owner adds it, or the simulated one to try things out."
        :action-text="me?.is_owner ? 'Add stand' : undefined"
        href="/stands"
      />
    </template>
    <p v-else class="text">An operator opens the session; what the stand shows then shows here.</p>
  </div>
</template>
