<script setup lang="ts">
/** About what is left in the tank, a warning before the pull that would run it dry, and the place to say what there is. */
import { ref } from 'vue'

import { useMe } from '../../app/api/queries'
import QuantityField from '../../ui/QuantityField.vue'
import { type NextPull, saidOf, useNextPull } from './useSession'

const props = defineProps<{ session: number; setup: number; tank: NextPull['tank']; mayOperate: boolean }>()
const { data: me } = useMe()
const { fill } = useNextPull(
  () => props.session,
  () => props.setup,
)
const typing = ref(false)
const volume = ref('')
const send = () =>
  fill.mutate(volume.value, {
    onSuccess: () => {
      typing.value = false
      volume.value = ''
    },
  })
</script>

<template>
  <section v-if="tank || mayOperate" data-test="tank" aria-label="Tank" class="my-2">
    <p v-if="tank?.dry" class="bg-error py-2 px-3" role="alert">{{ tank.text }}</p>
    <p v-else-if="tank" class="prose size-16">{{ tank.text }}.</p>
    <v-form v-if="typing" class="d-flex ga-2 align-center mt-1" @submit.prevent="send">
      <QuantityField
        v-model="volume"
        class="w-200"
        label="In the tank now"
        :unit="me?.units.fuel"
        :wrong="fill.error.value ? saidOf(fill.error.value, 'volume') || saidOf(fill.error.value) : ''"
      />
      <v-btn type="submit" :disabled="fill.isPending.value">Save</v-btn>
      <v-btn @click="typing = false">Cancel</v-btn>
    </v-form>
    <v-btn v-else-if="mayOperate" class="px-0" variant="text" @click="typing = true">
      {{ tank ? 'Tank filled…' : 'Write down what is in the tank…' }}
    </v-btn>
  </section>
</template>
