<script setup lang="ts">
/** What a shop is called, its money, its clock and where it stands: at the first run, and changed later. */
import type { Schema } from '../../app/api/client'

export interface ShopGiven {
  shop_name: string
  currency: string
  time_zone: string
  elevation: string
}
const given = defineModel<ShopGiven>({ required: true })
const change = (field: keyof ShopGiven, text: string | null) =>
  (given.value = { ...given.value, [field]: text ?? '' })
defineProps<{
  choices?: Pick<Schema['ShopOut'], 'currencies' | 'time_zones'>
  wrong: (field: string) => string | undefined
}>()
</script>

<template>
  <v-text-field
    :model-value="given.shop_name"
    label="Shop name"
    :error-messages="wrong('shop_name')"
    @update:model-value="change('shop_name', $event)"
  />
  <div class="pair">
    <v-autocomplete
      :model-value="given.currency"
      label="Currency"
      :items="choices?.currencies ?? []"
      :error-messages="wrong('currency')"
      @update:model-value="change('currency', $event)"
    />
    <v-autocomplete
      :model-value="given.time_zone"
      label="Time zone"
      :items="choices?.time_zones ?? []"
      :error-messages="wrong('time_zone')"
      @update:model-value="change('time_zone', $event)"
    />
  </div>
  <v-text-field
    :model-value="given.elevation"
    label="Elevation of the cell (optional)"
    placeholder="1000 ft or 300 m"
    :error-messages="wrong('elevation')"
    @update:model-value="change('elevation', $event)"
  />
</template>
