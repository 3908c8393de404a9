<script setup lang="ts">
/** What a pull was set to, what was changed since the pull before, and whether its tune stands for its setup. */
import { answer, api, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import MixtureAdvice from './MixtureAdvice.vue'
import SparkLadder from './SparkLadder.vue'

const props = defineProps<{
  row: Schema['PullRow']
  /** By which rule one of several tunes stands. */
  rule: string
  /** By that rule a pull is chosen. */
  chosen: boolean
  letter: string
  mayOperate: boolean
}>()
const choose = useAction(async () =>
  answer(
    await api.POST('/api/pulls/{pull_id}/standing-tune', { params: { path: { pull_id: props.row.id } } }),
  ),
)
</script>

<template>
  <div data-test="tune">
    <h2 class="mt-3">Tune</h2>
    <ul class="plain-list pa-0 prose size-15">
      <li v-for="line in row.tune" :key="line">{{ line }}</li>
    </ul>
    <p v-if="row.tune_changes.length" class="prose size-15">
      Changed since the pull before: {{ row.tune_changes.join('; ') }}.
    </p>
    <p class="quiet prose size-15">
      Where {{ letter }} has several tunes, the one that counts is: {{ rule.toLowerCase() }}.
    </p>
    <MixtureAdvice :pull="row" :may-operate="false" />
    <SparkLadder :pull="row" />
    <ProblemNote :error="choose.error.value" />
    <p v-if="chosen && row.tune_stands" class="prose size-15">This tune counts for {{ letter }}.</p>
    <v-btn
      v-else-if="chosen && mayOperate && row.state === 'complete'"
      :disabled="choose.isPending.value"
      @click="choose.mutate()"
    >
      Use this tune for {{ letter }}
    </v-btn>
  </div>
</template>
