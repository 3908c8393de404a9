<script setup lang="ts">
/** Who decided what, when and why. Nothing is taken back: the newest holds. */
import { ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { clock, day } from '../../ui/figures'
import { useFrame } from '../../app/frame'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { bodyOf, useChoice } from './choice'
import { useDecisions } from './queries'
import DisclosurePanel from '../../ui/DisclosurePanel.vue'
import { useUnsaved } from '../../ui/useUnsaved'

const { programme, setup, mayOperate } = useFrame()
const { choice } = useChoice()
const { data: decisions, error } = useDecisions(() => programme.value.id)
const chosen = ref(0)
const reason = useUnsaved(`decision of ${programme.value.id}`, '')
const message = ref('')
const act = useAction(async () => {
  return answer(
    await api.POST('/api/programmes/{programme_id}/decisions', {
      params: { path: { programme_id: programme.value.id } },
      body: { ...bodyOf(choice.value), setup_id: chosen.value || null, reason: reason.value },
    }),
  )
})
async function decide() {
  try {
    await act.mutateAsync(undefined)
    reason.value = message.value = ''
  } catch (caught) {
    message.value = caught instanceof Problem ? (caught.fields.reason ?? caught.message) : String(caught)
  }
}
</script>

<template>
  <section>
    <h2>Decided</h2>
    <ProblemNote :error="error" />
    <v-form v-if="mayOperate" class="d-flex flex-wrap ga-2 mb-2" @submit.prevent="decide">
      <v-select
        v-model="chosen"
        aria-label="What is decided on"
        :items="[
          { value: 0, label: 'No change' },
          ...programme.setups.map((one) => ({ value: one.id, label: `${one.letter} ${one.name}` })),
        ]"
      />
      <v-text-field
        v-model="reason"
        aria-label="Why"
        class="wide-field"
        placeholder="Why, also where no setup leads alone"
        :error="Boolean(message)"
      />
      <v-btn type="submit" color="hand" variant="flat">Save decision</v-btn>
      <p v-if="message" class="message ma-0" role="alert">{{ message }}</p>
    </v-form>
    <ol v-if="decisions?.length" data-test="decisions">
      <li v-for="one in decisions" :key="one.id">
        <p class="text">
          <template v-if="one.setup_id">
            <SetupMark :position="setup(one.setup_id).position" :size="18" />
            <strong> {{ setup(one.setup_id).name }}.</strong>
          </template>
          <strong v-else>No change.</strong>
          {{ one.reason }}
          <span class="quiet">{{ one.by }}, {{ day(one.at) }} {{ clock(one.at) }}</span>
        </p>
        <DisclosurePanel v-if="one.evidence.length" title="The verdict as it stood">
          <p v-for="sentence in one.evidence" :key="sentence" class="prose size-15 quiet">{{ sentence }}</p>
        </DisclosurePanel>
      </li>
    </ol>
    <p v-else-if="decisions" class="text quiet">Nothing has been decided yet.</p>
  </section>
</template>

<style scoped>
.message {
  flex-basis: 100%;
}
li {
  border-top: 1px solid var(--line);
  padding: 8px 0;
}
li p {
  margin: 0;
}
</style>
