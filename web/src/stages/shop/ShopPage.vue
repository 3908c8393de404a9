<script setup lang="ts">
/** What the shop is called, how it counts, and where its screens are found from other machines. */
import { reactive, watch } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useShop } from './queries'
import ShopFields from './ShopFields.vue'

const { data: shop, error } = useShop()
const given = reactive({ shop_name: '', currency: 'USD', time_zone: 'UTC', elevation: '' })
watch(
  shop,
  (now) =>
    now &&
    Object.assign(given, {
      shop_name: now.name,
      currency: now.currency,
      time_zone: now.time_zone,
      elevation: now.elevation,
    }),
  { immediate: true },
)
const save = useAction(async () => answer(await api.PUT('/api/shop', { body: { ...given, units: '' } })))
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
    <v-form @submit.prevent="save.mutate(undefined)">
      <ShopFields v-model="given" :choices="shop" :wrong="wrong" />
      <v-btn type="submit" color="hand" variant="flat" :disabled="save.isPending.value">Save shop</v-btn>
      <span v-if="save.isSuccess.value" class="quiet ml-4" role="status">Saved.</span>
    </v-form>
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
