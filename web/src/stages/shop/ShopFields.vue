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
defineProps<{
  choices?: Pick<Schema['ShopOut'], 'currencies' | 'time_zones'>
  wrong: (field: string) => string | undefined
}>()
</script>

<template>
  <v-text-field v-model="given.shop_name" label="Shop name" :error-messages="wrong('shop_name')" />
  <div class="pair">
    <v-autocomplete
      v-model="given.currency"
      label="Currency"
      :items="choices?.currencies ?? []"
      :error-messages="wrong('currency')"
    />
    <v-autocomplete
      v-model="given.time_zone"
      label="Time zone"
      :items="choices?.time_zones ?? []"
      :error-messages="wrong('time_zone')"
    />
  </div>
  <v-text-field
    v-model="given.elevation"
    label="Elevation of the cell (optional)"
    placeholder="1000 ft or 300 m"
    :error-messages="wrong('elevation')"
  />
</template>
