<script setup lang="ts">
/** The shop's list of checks before a pull; the owner writes it, everybody reads it. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useUnsavedEdit } from '../../ui/useUnsaved'
import { choicesOf } from '../../ui/choices'

const queries = useQueryClient()
const { data, error } = useQuery({
  queryKey: ['checklist'],
  queryFn: async () => answer(await api.GET('/api/checklist')),
})
const { data: slots } = useQuery({
  queryKey: ['slots'],
  queryFn: async () => answer(await api.GET('/api/slots')),
})
const mayWrite = computed(() => data.value?.may_write ?? false)
interface Line {
  /** 0: a new one. */
  id: number
  text: string
  moment: string
  asks: string
  slots: string[]
}
const draft = useUnsavedEdit<Line>('checklist line')
const fields = ref<Record<string, string>>({})
const moments = computed(() => Object.entries(data.value?.moments ?? {}))
const of = (moment: string) => data.value?.items.filter((item) => item.moment === moment) ?? []
const slotName = (key: string) =>
  slots.value?.find((slot) => slot.value === key)?.label ?? key.replace('setting:', '').replaceAll('_', ' ')

function edit(item: Schema['ItemOut'] | null, moment = 'session') {
  fields.value = {}
  draft.value = {
    id: item?.id ?? 0,
    text: item?.text ?? '',
    moment: item?.moment ?? moment,
    asks: item?.asks ?? '',
    slots: [...(item?.slots ?? [])],
  }
}
async function take(asked: Promise<Schema['ListOut']>) {
  try {
    queries.setQueryData(['checklist'], await asked)
    void queries.invalidateQueries({ queryKey: ['next'] })
    draft.value = null
  } catch (caught) {
    fields.value =
      caught instanceof Problem ? { text: caught.message, ...caught.fields } : { text: String(caught) }
  }
}
function save({ id, ...body }: Line) {
  return take(
    (id
      ? api.PUT('/api/checklist/{list_item_id}', { params: { path: { list_item_id: id } }, body })
      : api.POST('/api/checklist', { body })
    ).then(answer),
  )
}
const takeOff = (id: number) =>
  take(api.DELETE('/api/checklist/{list_item_id}', { params: { path: { list_item_id: id } } }).then(answer))
</script>

<template>
  <div class="pa-4 most-900">
    <h1>Pre-pull checklist</h1>
    <p class="text quiet">
      Every line is ticked by a person, by name, before anything is armed. Local codes and the stand maker's
      instructions come first; add what they ask for. A line that was ticked stays on record when it is
      changed.
    </p>
    <ProblemNote :error="error" />
    <section v-for="[moment, label] in moments" :key="moment">
      <h2>{{ label }}</h2>
      <v-table>
        <tbody>
          <template v-for="item in of(moment)" :key="item.id">
            <tr v-if="draft?.id !== item.id">
              <td class="wide-field">{{ item.text }}</td>
              <td class="quiet words">
                <template v-if="item.slots.length">{{ item.slots.map(slotName).join(', ') }}</template>
                <template v-if="item.asks"> · asks: {{ data!.kinds[item.asks] }}</template>
              </td>
              <td v-if="mayWrite" class="acts text-right text-no-wrap">
                <v-link :aria-label="`Edit ${item.text}`" @click="edit(item)">Edit</v-link>
                <v-link :aria-label="`Remove ${item.text}`" @click="takeOff(item.id)"> Remove </v-link>
              </td>
            </tr>
          </template>
        </tbody>
      </v-table>
      <v-btn v-if="mayWrite && !draft" @click="edit(null, moment)">Add line</v-btn>
      <v-form v-if="draft?.moment === moment" @submit.prevent="save(draft)">
        <v-text-field
          v-model="draft.text"
          class="wide-field"
          aria-label="Checklist line"
          placeholder="Checklist line"
        />
        <v-select
          v-model="draft.moment"
          label="when"
          :items="moments.map(([value, label]) => ({ value, label }))"
        />
        <v-select v-model="draft.asks" label="asks for" :items="choicesOf(data?.kinds)" />
        <v-select
          v-if="draft.moment === 'change'"
          v-model="draft.slots"
          label="only where one of these was changed"
          multiple
          :items="slots"
        />
        <v-btn type="submit">Save</v-btn>
        <v-btn @click="draft = null">Cancel</v-btn>
        <p v-if="fields.text" class="message" role="alert">{{ Object.values(fields).join(' ') }}</p>
      </v-form>
    </section>
  </div>
</template>

<style scoped>
section {
  margin: 18px 0;
}
td {
  border-top: 1px solid var(--line);
  padding: 6px 10px 6px 0;
  font-size: 15px;
}
.acts .link {
  text-decoration: underline;
  margin-left: 12px;
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: flex-end;
  padding: 8px 0;
}
</style>
