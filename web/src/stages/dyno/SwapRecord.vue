<script setup lang="ts">
/** What the change used and took off: gasket, sealer, milling. Kept with the change, word for word. */
import { reactive, watch } from 'vue'

import { done } from '../../app/undo'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { type NextPull, saidOf, useNextPull } from './useSession'

const props = defineProps<{
  session: number
  setup: number
  change: NonNullable<NextPull['change']>
  mayOperate: boolean
}>()
const { record } = useNextPull(
  () => props.session,
  () => props.setup,
)
const FIELDS = {
  gasket: 'Gasket: which, new or used again',
  sealer: 'Sealer: which, and where',
  milling: 'Milled: how much, and where',
} as const
const typed = reactive({ gasket: '', sealer: '', milling: '' })
watch(
  () => props.change.begun_at,
  () =>
    Object.assign(typed, {
      gasket: props.change.gasket,
      sealer: props.change.sealer,
      milling: props.change.milling,
    }),
  { immediate: true },
)
const send = () =>
  record.mutate({ setup_id: props.setup, ...typed }, { onSuccess: () => done('The swap is on record.') })
const kept = () => [props.change.gasket, props.change.sealer, props.change.milling].filter(Boolean).join('; ')
</script>

<template>
  <DisclosurePanel
    class="mt-2"
    data-test="swap-record"
    :title="kept() ? `Swap record: ${kept()}` : 'Swap record: gasket, sealer, milling'"
  >
    <v-form v-if="mayOperate" class="d-flex flex-wrap ga-2 align-center" @submit.prevent="send">
      <v-text-field
        v-for="(label, field) in FIELDS"
        :key="field"
        v-model="typed[field]"
        class="w-320"
        :label="label"
        :error-messages="record.error.value ? saidOf(record.error.value, field) : ''"
      />
      <v-btn type="submit" :disabled="record.isPending.value">Save record</v-btn>
    </v-form>
    <p v-if="record.error.value" class="message" role="alert">{{ saidOf(record.error.value) }}</p>
  </DisclosurePanel>
</template>
