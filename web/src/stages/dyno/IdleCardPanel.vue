<script setup lang="ts">
/** How the engine idles, starts and pulls from low speed with the setup shown: read from the stand, seen by somebody. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import type { Setup } from '../../app/frame'
import { done } from '../../app/undo'
import { choicesOf } from '../../ui/choices'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { clock } from '../../ui/figures'
import QuantityField from '../../ui/QuantityField.vue'

const props = defineProps<{ session: number; setup: Setup; mayOperate: boolean }>()
const queries = useQueryClient()
const key = computed(() => ['idle-cards', props.session, props.setup.id] as const)
const { data, refetch } = useQuery({
  queryKey: key,
  queryFn: async ({ queryKey: [, session_id, setup_id] }) =>
    answer(
      await api.GET('/api/sessions/{session_id}/idle-cards', {
        params: { path: { session_id }, query: { setup_id } },
      }),
    ),
})
const MEASURED = {
  rpm: 'Speed',
  manifold_pressure: 'Manifold pressure',
  mixture: 'Mixture',
  spark_advance: 'Ignition timing',
}
const CHOSEN = { starting: 'Start', returning: 'Return to idle', low_pull: 'From low rpm' }
const measured = reactive<Record<string, string>>({})
const chosen = reactive<Record<string, string>>({})
const note = ref('')
const missing = ref(false)
const message = ref('')
const fields = ref<Record<string, string>>({})
function clear() {
  for (const each of Object.keys(MEASURED)) measured[each] = ''
  for (const each of Object.keys(CHOSEN)) chosen[each] = ''
  note.value = message.value = ''
  fields.value = {}
  missing.value = false
}
clear()
watch(() => props.setup.id, clear)

async function readNow() {
  const { data: fresh } = await refetch()
  Object.assign(measured, fresh?.now ?? {})
  message.value = Object.keys(fresh?.now ?? {}).length ? '' : 'The stand does not idle now: nothing was read.'
}
async function save() {
  fields.value = {}
  try {
    const fresh: Schema['IdleCardsOut'] = answer(
      await api.POST('/api/sessions/{session_id}/idle-cards', {
        params: { path: { session_id: props.session } },
        body: {
          setup_id: props.setup.id,
          measured: { ...measured },
          chosen: { ...chosen },
          hardware_missing: missing.value,
          note: note.value,
        },
      }),
    )
    queries.setQueryData(key.value, fresh)
    clear()
    done(`The idle of ${props.setup.letter} is on its card.`)
  } catch (caught) {
    message.value = caught instanceof Error ? caught.message : String(caught)
    fields.value = caught instanceof Problem ? caught.fields : {}
  }
}
</script>

<template>
  <DisclosurePanel class="mt-3" data-test="idle-card" :title="`Idle card of ${setup.letter}`">
    <ul v-if="data?.cards.length" class="rows">
      <li v-for="card in data.cards.slice(0, 3)" :key="card.at" class="prose size-15">
        {{ card.text }} <span class="quiet ml-auto">{{ card.by }}, {{ clock(card.at) }}</span>
      </li>
    </ul>
    <p v-else class="quiet">Nobody has looked at the idle of {{ setup.letter }} yet.</p>
    <v-form v-if="mayOperate" class="d-flex flex-wrap ga-2 align-center py-2" @submit.prevent="save">
      <v-btn @click="readNow">Read from the stand</v-btn>
      <QuantityField
        v-for="(label, field) in MEASURED"
        :key="field"
        v-model="measured[field]"
        class="w-150"
        :label="label"
        :unit="data?.units[field]"
        :wrong="fields[field]"
      />
      <v-select
        v-for="(label, field) in CHOSEN"
        :key="field"
        v-model="chosen[field]"
        class="w-200"
        :label="label"
        :items="[{ value: '', label: 'not looked at' }, ...choicesOf(data?.choices[field])]"
        :error-messages="fields[field]"
      />
      <v-text-field v-model="note" class="w-320" label="Note" :error-messages="fields.note" />
      <v-checkbox v-model="missing" label="Idle hardware was not on: not judged" />
      <v-btn type="submit">Save card</v-btn>
    </v-form>
    <p v-if="message" class="message" role="alert">{{ message }}</p>
  </DisclosurePanel>
</template>
