<script setup lang="ts">
/** A new part: its slot, its name, and what is known of that kind of part. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { inMoney } from '../../ui/figures'
import LineFields from './LineFields.vue'
import { useSlots } from './useParts'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { originChoices } from '../engine/origins'
import { useUnsaved } from '../../ui/useUnsaved'

const emit = defineEmits<{ made: [id: number]; back: [] }>()
const queries = useQueryClient()
const { data: slots } = useSlots()
const slot = ref<Schema['Slot']>('intake_manifold')
const name = useUnsaved('name of a new part', '')
const price = useUnsaved('price of a new part', '')
const isPrivate = ref(false)
const origin = ref<Schema['Origin']>('reported')
const texts = useUnsaved<Record<string, string>>('dimensions of a new part', {})
const fields = ref<Record<string, string>>({})
const message = ref('')
const lines = computed(() => slots.value?.find((known) => known.value === slot.value)?.lines ?? [])

async function make() {
  const keys = new Set(lines.value.map((line) => line.key))
  try {
    const made = answer(
      await api.POST('/api/parts', {
        body: {
          slot: slot.value,
          name: name.value,
          price: price.value,
          price_is_private: isPrivate.value,
          texts: Object.fromEntries(Object.entries(texts.value).filter(([key]) => keys.has(key))),
          origin: origin.value,
          notes: '',
          belongs_to: '',
        },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['parts'] })
    name.value = price.value = ''
    texts.value = {}
    emit('made', made.id)
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
  }
}
useFirstFocus('first')
</script>

<template>
  <v-form class="form" @submit.prevent="make">
    <p v-if="message" class="message" role="alert">{{ message }}</p>
    <v-select v-model="slot" label="Slot" :items="slots" />
    <v-text-field ref="first" v-model="name" label="Name" :error-messages="fields.name" />
    <label>
      <span>{{ inMoney('Price') }}</span>
      <span>
        <v-text-field
          v-model="price"
          class="number w-110"
          placeholder="unknown"
          :error="Boolean(fields.price)"
        />
        <v-checkbox v-model="isPrivate" label="private" aria-label="Price is private" />
      </span>
    </label>
    <p v-if="fields.price" class="message">{{ fields.price }}</p>
    <v-select
      v-model="origin"
      label="The values are"
      :items="originChoices(['measured', 'catalog', 'reported', 'assumed'])"
    />
    <LineFields v-model="texts" :lines="lines" :fields="fields" />
    <div class="buttons">
      <v-btn type="submit" color="hand" variant="flat">Add part</v-btn>
      <v-btn @click="emit('back')">Cancel</v-btn>
    </div>
  </v-form>
</template>

<style scoped>
.form {
  --label: 190px;
}
</style>
