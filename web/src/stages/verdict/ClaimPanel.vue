<script setup lang="ts">
/** A claim in words, held against the pulls that count. Nothing of it is saved. */
import { computed, ref, shallowRef, watch } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useFrame } from '../../app/frame'
import { useUnsaved } from '../../ui/useUnsaved'

const props = defineProps<{ standard: string }>()
const { programme } = useFrame()
const ANY = { label: 'As the words say', value: 0 }
const setups = computed(() => [
  ANY,
  ...programme.value.setups.map((known) => ({ label: `${known.letter} ${known.name}`, value: known.id })),
])
const text = useUnsaved(`claim of ${programme.value.id}`, '')
const whose = ref(0)
const found = shallowRef<Schema['ClaimOut'] | null>(null)
const problem = shallowRef<unknown>(null)
const wrong = computed(() => (problem.value instanceof Problem ? problem.value.fields : {}))
/** What cannot be said at a field. */
const general = computed(() => (Object.keys(wrong.value).length ? null : (problem.value as Error | null)))
const STATES: Record<string, string> = {
  agrees: 'Agrees',
  not_shown: 'Not shown',
  too_high: 'Too high',
  too_low: 'Too low',
}

async function check() {
  try {
    found.value = answer(
      await api.GET('/api/programmes/{programme_id}/claim', {
        params: {
          path: { programme_id: programme.value.id },
          query: { text: text.value, setup_id: whose.value || undefined, standard: props.standard },
        },
      }),
    )
    problem.value = null
  } catch (caught) {
    found.value = null
    problem.value = caught
  }
}
// An answer under one standard is none under another.
watch(
  () => props.standard,
  () => {
    if (found.value) void check()
  },
)
</script>

<template>
  <section>
    <p class="text">
      Somebody says “12 hp from the spacer”, or “430 at 5800”. Type it as it was said; it is held against the
      pulls that count.
    </p>
    <v-form class="claim d-grid ga-2 align-start my-3 mx-0" @submit.prevent="check">
      <v-text-field
        v-model="text"
        label="Claim"
        placeholder="12 hp from the spacer"
        :error-messages="wrong.text"
      />
      <v-select v-model="whose" label="Setup" :items="setups" :error-messages="wrong.setup_id" />
      <v-btn type="submit">Check claim</v-btn>
    </v-form>
    <ProblemNote :error="general" />
    <div v-if="found" class="answer" data-test="claim" aria-live="polite">
      <v-chip variant="outlined" rounded="0" size="small">{{ STATES[found.state] }}</v-chip>
      <p v-for="sentence in found.sentences" :key="sentence" class="text">{{ sentence }}</p>
      <p class="text quiet">Rests on pulls {{ found.pulls.join(', ') }}.</p>
    </div>
  </section>
</template>

<style scoped>
.claim {
  grid-template-columns: 2fr 1fr auto;
}
.answer p {
  margin: 6px 0 0;
}
@media (max-width: 1000px) {
  .claim {
    grid-template-columns: 1fr;
  }
}
</style>
