<script setup lang="ts">
/** From what a part was made, what was made of it, and a modification that makes the next child. */
import { useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { day } from '../../ui/figures'
import LineFields from './LineFields.vue'
import type { Part } from './useParts'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { useUnsaved } from '../../ui/useUnsaved'

const props = defineProps<{ part: Part; mayOperate: boolean }>()
const emit = defineEmits<{ made: [id: number] }>()
const queries = useQueryClient()
const modifying = ref(false)
const given = useUnsaved(`modification of ${props.part.id}`, {
  name: '',
  modification: '',
  amount: '',
  reason: '',
})
const texts = reactive<Record<string, string>>({})
const fields = ref<Record<string, string>>({})
const message = ref('')

async function make() {
  try {
    const made = answer(
      await api.POST('/api/parts/{part_id}/children', {
        params: { path: { part_id: props.part.id } },
        body: { ...given.value, texts: { ...texts } },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['part'] })
    await queries.invalidateQueries({ queryKey: ['parts'] })
    modifying.value = false
    given.value = { name: '', modification: '', amount: '', reason: '' }
    Object.keys(texts).forEach((key) => delete texts[key])
    emit('made', made.id)
  } catch (caught) {
    fields.value = caught instanceof Problem ? caught.fields : {}
    message.value = (caught as Error).message
  }
}
</script>

<template>
  <section>
    <h2>Origin</h2>
    <ol data-test="lineage">
      <li v-for="(one, step) in part.lineage" :key="one.id" :style="{ marginLeft: `${step * 16}px` }">
        <strong v-if="one.id === part.id">{{ one.name }}</strong>
        <router-link v-else :to="{ params: { id: one.id } }">{{ one.name }}</router-link>
        <span v-if="one.modification" class="quiet"
          >&nbsp;{{ one.modification }}{{ one.amount && `, ${one.amount}` }}: {{ one.reason }}. {{ one.by }},
          {{ day(one.at) }}
        </span>
      </li>
      <li
        v-for="child in part.children"
        :key="child.id"
        :style="{ marginLeft: `${part.lineage.length * 16}px` }"
      >
        <router-link :to="{ params: { id: child.id } }">{{ child.name }}</router-link>
        <span class="quiet">
          {{ child.modification }}{{ child.amount && `, ${child.amount}` }}: {{ child.reason }}</span
        >
      </li>
    </ol>
    <v-btn v-if="mayOperate && !modifying" @click="modifying = true">Modify it…</v-btn>
    <v-form v-if="modifying" class="form" @submit.prevent="make">
      <p class="text mt-0 mb-2 mx-0 size-15">
        What is done makes a new part; {{ part.name }} stays as it is.
      </p>
      <p v-if="message" class="message" role="alert">{{ message }}</p>
      <template
        v-for="[key, label] in [
          ['name', 'Name of the new part'],
          ['modification', 'What was done'],
          ['amount', 'How much'],
          ['reason', 'Why'],
        ] as const"
        :key="key"
      >
        <v-text-field v-model="given[key]" :label="label" :error-messages="fields[key]" />
      </template>
      <DisclosurePanel title="What it measures now">
        <LineFields v-model="texts" :lines="part.lines" :fields="fields" />
      </DisclosurePanel>
      <div class="buttons">
        <v-btn type="submit" color="hand" variant="flat">Create part</v-btn>
        <v-btn @click="modifying = false">Cancel</v-btn>
      </div>
    </v-form>
  </section>
</template>

<style scoped>
section {
  margin-bottom: 22px;
}
ol {
  list-style: none;
  padding: 0;
  margin: 0 0 10px;
}
li {
  padding: 4px 0 4px 10px;
  border-left: 2px solid var(--line);
  font-family: var(--text);
  font-size: 15px;
}
.form {
  --label: 150px;
}
</style>
