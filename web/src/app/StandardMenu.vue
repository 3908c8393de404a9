<script setup lang="ts">
/** Which standard is looked at; who may operate can put it in force for the programme. */
import { computed } from 'vue'
import { useDisplay } from 'vuetify'

import { answer, api } from './api/client'
import { useAction } from './api/queries'
import { useKeys } from './keys'
import { useFrame } from './frame'

const { xs } = useDisplay()
const { programme, standard, lookAt, choosingStandard, mayOperate } = useFrame()
const shown = computed(() => programme.value.standards.find((known) => known.id === standard.value))
const inForce = computed(() => standard.value === programme.value.standard.id)
const putInForce = useAction(async (chosen: string) =>
  answer(
    await api.PUT('/api/programmes/{programme_id}/standard', {
      params: { path: { programme_id: programme.value.id } },
      body: { standard: chosen },
    }),
  ),
)

function toggleObserved() {
  lookAt(standard.value === 'observed' ? programme.value.standard.id : 'observed')
}
useKeys([{ key: 'o', label: 'O', does: 'Corrected or observed', press: toggleObserved }])
</script>

<template>
  <v-menu v-model="choosingStandard" location="bottom">
    <template #activator="{ props: activator }">
      <v-link v-bind="activator" class="text-no-wrap" data-test="standard">
        <span v-if="!xs" class="quiet mr-1">Standard</span> {{ shown?.label ?? standard }}
        <span v-if="!inForce" class="ml-1 small">differs from the test</span>
      </v-link>
    </template>
    <v-list density="compact" aria-label="Standard to look at">
      <v-list-item
        v-for="known in programme.standards"
        :key="known.id"
        :active="known.id === standard"
        @click="lookAt(known.id)"
      >
        <v-list-item-title>{{ known.label }}</v-list-item-title>
        <v-list-item-subtitle v-if="known.note">{{ known.note }}</v-list-item-subtitle>
      </v-list-item>
      <template v-if="!inForce && mayOperate">
        <v-divider />
        <v-list-item @click="putInForce.mutate(standard)">
          <v-list-item-title>Put {{ shown?.label }} in force for this test</v-list-item-title>
        </v-list-item>
      </template>
    </v-list>
  </v-menu>
</template>
