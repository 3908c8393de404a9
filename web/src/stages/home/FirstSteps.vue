<script setup lang="ts">
/** What a shop needs before its first pull, each with its button, until all of it is there. */
import { computed } from 'vue'

import { useMe } from '../../app/api/queries'
import { useHome } from '../shop/queries'

const { data: me } = useMe()
const { data: home } = useHome()
const steps = computed(() => {
  const found = home.value
  const person = me.value
  if (!found || !person) return []
  return [
    {
      name: 'stands',
      title: 'Stand',
      text: 'The dyno with its engine. Add yours, or the simulated one to practice on.',
      count: found.stands,
      button: 'Add stand',
      may: person.is_owner,
      who: 'The owner adds it.',
    },
    {
      name: 'engines',
      title: 'Engine',
      text: 'Bore, stroke and cylinders are enough to begin with.',
      count: found.engines,
      button: 'Describe engine',
      may: person.may_operate,
      who: 'An operator describes it.',
    },
    {
      name: 'parts',
      title: 'Parts',
      text: 'What is to be compared: two at least, such as two intake manifolds.',
      count: found.parts,
      button: 'Add parts',
      may: person.may_operate,
      who: 'An operator adds them.',
    },
    {
      name: 'new-programme',
      title: 'Test',
      text: 'The question, the setups that compete, and the order in which they are pulled.',
      count: found.programmes,
      button: 'Plan test',
      may: person.may_operate,
      who: 'An operator plans it.',
    },
  ]
})
const least = (title: string) => (title === 'Parts' ? 2 : 1)
const isDone = (step: { title: string; count: number }) => step.count >= least(step.title)
const shown = computed(() => me.value?.role !== 'Customer' && steps.value.some((step) => !isDone(step)))
const next = computed(() => steps.value.find((step) => !isDone(step)))
</script>

<template>
  <section v-if="shown" class="first border on-panel py-3 px-4 mb-4" aria-labelledby="first-steps">
    <h2 id="first-steps">Before the first pull</h2>
    <ol class="rows">
      <li v-for="step in steps" :key="step.name" :class="{ quiet: isDone(step) }">
        <strong class="w-110">{{ isDone(step) ? '✓' : '○' }} {{ step.title }}</strong>
        <span class="quiet flex-fill">
          {{ isDone(step) ? `${step.count} there` : step.text
          }}{{ isDone(step) || step.may ? '' : ` ${step.who}` }}
        </span>
        <v-btn
          v-if="step.may && !isDone(step)"
          :color="step === next ? 'hand' : undefined"
          :variant="step === next ? 'flat' : 'outlined'"
          :to="{ name: step.name }"
        >
          {{ step.button }}
        </v-btn>
      </li>
    </ol>
  </section>
</template>
