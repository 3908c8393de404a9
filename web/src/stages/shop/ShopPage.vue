<script setup lang="ts">
/** What the shop is called, how it counts, and where its screens are found from other machines. */
import { computed } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useShop } from './queries'
import { useUnsavedEdit } from '../../ui/useUnsaved'
import ShopFields, { type ShopGiven } from './ShopFields.vue'

const { data: shop, error } = useShop()
const unsaved = useUnsavedEdit<ShopGiven>('shop')
/** As the shop is, until a field is changed. */
const given = computed<ShopGiven | null>(() => {
  if (!shop.value) return null // nothing is typed over what is not known yet
  const { name, currency, time_zone, elevation } = shop.value
  return unsaved.value ?? { shop_name: name, currency, time_zone, elevation }
})
const save = useAction(async (facts: ShopGiven) => {
  answer(await api.PUT('/api/shop', { body: { ...facts, units: '' } }))
  unsaved.value = null
})
const wrong = (field: string) =>
  save.error.value instanceof Problem ? save.error.value.fields[field] : undefined
const CODE = '/api/address.svg'
const address = window.location.origin
const local = /^(127\.|localhost|\[::1\])/.test(window.location.hostname)
</script>

<template>
  <div class="page most-680 pa-4">
    <header class="page-head"><h1>Shop</h1></header>
    <ProblemNote :error="error ?? save.error.value" />
    <v-skeleton-loader v-if="!given && !error" type="text@4" />
    <v-form v-if="given" @submit.prevent="save.mutate(given)">
      <ShopFields
        :model-value="given"
        :choices="shop"
        :wrong="wrong"
        @update:model-value="unsaved = $event"
      />
      <v-btn type="submit" color="hand" variant="flat" :disabled="save.isPending.value">Save shop</v-btn>
      <span v-if="save.isSuccess.value" class="quiet ml-4" role="status">Saved.</span>
    </v-form>
    <h2 class="mt-7">All of it as one file</h2>
    <p class="text">
      Engines, parts, tests with their samples, reports and guidelines, in open formats. Another shop reads it
      at Tests, Import tests. Prices go along; people, stands and practice tests do not.
    </p>
    <v-btn href="/api/shop/archive" download variant="outlined">Save shop as a file</v-btn>
    <h2 class="mt-7">On a tablet</h2>
    <p v-if="local" class="text">
      Torvix answers this machine only. To reach it from a tablet in the cell, start it with
      <kbd>./torvix serve --host 0.0.0.0 --self-signed</kbd> (docs/running-a-shop.md).
    </p>
    <template v-else>
      <p class="text">Point the camera of a tablet at this, or type {{ address }}.</p>
      <img :src="CODE" width="180" height="180" :alt="`QR code of ${address}`" />
    </template>
  </div>
</template>

<style scoped>
form {
  display: flex;
  flex-direction: column;
  gap: 14px;
  align-items: stretch;
}
form .v-btn {
  align-self: start;
}
</style>
