<script setup lang="ts">
/** Name, aliases, price, owner and links of a part. */
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { inMoney, money } from '../../ui/figures'
import { useUnsavedEdit } from '../../ui/useUnsaved'
import PartPicker from './PartPicker.vue'
import type { Part } from './useParts'

const props = defineProps<{ part: Part; mayOperate: boolean }>()
const emit = defineEmits<{ changed: [part: Part] }>()
const alias = ref('')
interface Facts {
  name: string
  notes: string
  belongs_to: string
  price: string
  price_is_private: boolean
  matched_to_id: number | null
  same_as_id: number | null
}
const facts = useUnsavedEdit<Facts>(`facts of part ${props.part.id}`)
const fields = ref<Record<string, string>>({})
const message = ref('')
const price = computed(() => {
  if (props.part.price_state === 'private') return 'price private'
  if (!props.part.price) return 'price unknown'
  return `${money(Number(props.part.price))}${props.part.price_is_private ? ', private' : ''}`
})
/** A linked part as a field names it. */
const near = (linked: { id: number; name: string } | null) =>
  linked ? [{ value: linked.id as number | null, label: linked.name }] : []

function begin() {
  const { name, notes, belongs_to, price_is_private } = props.part
  facts.value = {
    name,
    notes,
    belongs_to,
    price_is_private,
    price: props.part.price,
    matched_to_id: props.part.matched_to?.id ?? null,
    same_as_id: props.part.same_as?.id ?? null,
  }
  fields.value = {}
  message.value = ''
}

async function run(act: () => Promise<Part>) {
  try {
    emit('changed', await act())
    fields.value = {}
    message.value = ''
    return true
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
    return false
  }
}
const path = computed(() => ({ params: { path: { part_id: props.part.id } } }))

async function save(given: Facts) {
  const saved = await run(async () =>
    answer(await api.PUT('/api/parts/{part_id}', { ...path.value, body: given })),
  )
  if (saved) facts.value = null
}

async function addAlias() {
  const saved = await run(async () =>
    answer(await api.POST('/api/parts/{part_id}/aliases', { ...path.value, body: { name: alias.value } })),
  )
  if (saved) alias.value = ''
}

async function dropAlias(name: string) {
  await run(async () =>
    answer(await api.POST('/api/parts/{part_id}/aliases/drop', { ...path.value, body: { name } })),
  )
}
</script>

<template>
  <div class="d-flex flex-wrap align-baseline gr-1 gc-4">
    <h1 class="title">{{ part.name }}</h1>
    <span class="quiet">{{ part.slot_label }}</span>
    <span>{{ price }}</span>
    <span v-if="part.belongs_to" class="quiet">belongs to {{ part.belongs_to }}</span>
    <span v-if="part.matched_to" class="quiet">
      matched to
      <router-link :to="{ params: { id: part.matched_to.id } }">{{ part.matched_to.name }}</router-link>
    </span>
    <span v-if="part.same_as" class="quiet">
      the same as <router-link :to="{ params: { id: part.same_as.id } }">{{ part.same_as.name }}</router-link>
    </span>
    <span v-for="name in part.aliases" :key="name" class="alias">
      also {{ name }}
      <v-link v-if="mayOperate" :aria-label="`Remove the alias ${name}`" @click="dropAlias(name)"> × </v-link>
    </span>
    <v-link v-if="mayOperate && !facts" class="quiet" @click="begin">Edit…</v-link>
    <p v-if="part.notes && !facts" class="text notes mt-1 mb-0 mx-0">{{ part.notes }}</p>
    <v-form v-if="facts" class="form mt-1 mb-0 mx-0" @submit.prevent="save(facts)">
      <p v-if="message" class="message" role="alert">{{ message }}</p>
      <v-text-field v-model="facts.name" label="Name" :error-messages="fields.name" />
      <label>
        <span>{{ inMoney('Price') }}</span>
        <span>
          <v-text-field v-model="facts.price" placeholder="unknown" />
          <v-checkbox v-model="facts.price_is_private" label="private" aria-label="Price is private" />
        </span>
      </label>
      <p v-if="fields.price" class="message">{{ fields.price }}</p>
      <v-text-field v-model="facts.belongs_to" label="Belongs to" />
      <PartPicker
        v-model="facts.matched_to_id"
        label="Matched to"
        :except="part.id"
        :near="near(part.matched_to)"
        :none="{ value: null, label: 'nothing' }"
      />
      <PartPicker
        v-model="facts.same_as_id"
        label="The same as"
        :except="part.id"
        :near="near(part.same_as)"
        :none="{ value: null, label: 'no other part' }"
      />
      <v-text-field v-model="facts.notes" label="Notes" class="wide" />
      <label>
        <span>Alias</span>
        <span>
          <v-text-field v-model="alias" @keydown.enter.prevent="addAlias" />
          <v-link class="quiet" @click="addAlias">Add</v-link>
        </span>
      </label>
      <div class="buttons">
        <v-btn type="submit" color="hand" variant="flat">Save</v-btn>
        <v-btn @click="facts = null">Cancel</v-btn>
      </div>
    </v-form>
  </div>
</template>

<style scoped>
.alias .link {
  padding: 0 4px;
}
.notes,
.form {
  flex-basis: 100%;
}
.form {
  --label: 130px;
}
</style>
