<script setup lang="ts">
/** A new engine: its name, and the few lines without which nothing follows. The rest is written on its sheet. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import QuantityField from '../../ui/QuantityField.vue'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { useUnsaved } from '../../ui/useUnsaved'

const emit = defineEmits<{ made: [id: number]; back: [] }>()
const FIRST = ['cycle', 'cylinders', 'bore', 'stroke', 'rod_length', 'redline']
const queries = useQueryClient()
const { data: sheet } = useQuery({
  queryKey: ['blank-sheet'],
  queryFn: async () => answer(await api.GET('/api/sheet')),
})
const lines = computed(() => {
  const all = (sheet.value ?? []).flatMap((group) => group.lines)
  return FIRST.map((key) => all.find((line) => line.key === key)).filter((line) => line !== undefined)
})
const name = useUnsaved('name of a new engine', '')
const owner = useUnsaved('owner of a new engine', '')
const confidential = ref(false)
const texts = useUnsaved<Record<string, string>>('lines of a new engine', { cycle: '4' })
const fields = ref<Record<string, string>>({})
const message = ref('')

async function make() {
  try {
    const made = answer(
      await api.POST('/api/engines', {
        body: {
          name: name.value,
          owner: owner.value,
          confidential: confidential.value,
          texts: { ...texts.value },
          origin: 'reported',
        },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['engines'] })
    name.value = owner.value = ''
    texts.value = { cycle: '4' }
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
    <v-text-field ref="first" v-model="name" label="Name" :error-messages="fields.name" />
    <v-text-field v-model="owner" label="Whose it is" />
    <v-checkbox v-model="confidential" label="Confidential: viewers do not see it nor its tests" />
    <template v-for="line in lines" :key="line.key">
      <v-select
        v-if="line.kind === 'choice'"
        v-model="texts[line.key]"
        :label="line.label"
        :items="line.choices"
        :error-messages="fields[line.key]"
      />
      <QuantityField
        v-else
        v-model="texts[line.key]"
        :label="line.label"
        :unit="line.unit"
        :wrong="fields[line.key]"
      />
    </template>
    <div class="buttons">
      <v-btn type="submit" color="hand" variant="flat">Create engine</v-btn>
      <v-btn @click="emit('back')">Cancel</v-btn>
    </div>
  </v-form>
</template>
