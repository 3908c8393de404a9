<script setup lang="ts">
/** What an operator does about the next pull: judge the last, choose, arm, hold to start; and abort, always last. */
import { ref, useTemplateRef, watch } from 'vue'

import { useFrame } from '../../app/frame'
import { useKeys } from '../../app/keys'
import SetupMark from '../../ui/setups/SetupMark.vue'
import HoldButton from './HoldButton.vue'
import PullOptions from './PullOptions.vue'
import type { usePullFlow } from './usePullFlow'
import type { NextPull } from './useSession'

const props = defineProps<{
  flow: ReturnType<typeof usePullFlow>
  next: NextPull | null
  /** Whether the stand can hold a speed. */
  canHold: boolean
  /** Where the last pull suggests to sweep to. */
  extendTo: number | null
  connected: boolean
  /** Checks are outstanding. */
  undone: boolean
  armed: boolean
  /** Whether the control is this person's. */
  mine: boolean
  /** Gates hold the start. */
  held: boolean
  mayStart: boolean
  holdLabel: string
  /** Something moves, or may. */
  moving: boolean
  mayStop: boolean
}>()
const emit = defineEmits<{ arm: []; start: []; exclude: []; abort: [] }>()
const { programme } = useFrame()
const { current, unjudged, nextNumber, nextSetup, chosenSetup, wanted, override, arm, keep, takeControl } =
  props.flow
const wrongSweep = ref('')
const overriding = ref(false)
watch(current, () => (overriding.value = false))
const hold = useTemplateRef<InstanceType<typeof HoldButton>>('hold')
useKeys([
  {
    key: 'code:Space',
    label: 'Space',
    does: 'Hold to start the armed pull',
    press: () => hold.value?.press(),
    release: () => hold.value?.release(),
  },
  {
    key: 'Enter',
    label: 'Enter',
    does: 'Hold to start the armed pull',
    press: () => hold.value?.press(),
    release: () => hold.value?.release(),
  },
  {
    key: 'Escape',
    label: 'Esc',
    does: 'Abort the pull, from anywhere',
    press: () => props.mayStop && emit('abort'),
    urgent: () => props.mayStop,
  },
  { key: 'a', label: 'A', does: 'Arm the next pull', press: () => emit('arm') },
  {
    key: 'k',
    label: 'K',
    does: 'Accept the last pull',
    press: () => unjudged.value && keep.mutate(unjudged.value.id),
  },
  {
    key: 'x',
    label: 'X',
    does: 'Exclude the last pull',
    press: () => unjudged.value && emit('exclude'),
  },
])
defineExpose({
  release: () => hold.value?.release(),
  /** Whether the sweep can be asked for as it is typed. */
  mayArm: () => !wrongSweep.value,
})
</script>

<template>
  <div>
    <div v-if="unjudged" class="d-flex flex-wrap ga-2 mt-3">
      <v-btn class="step flex-fill" color="hand" variant="flat" @click="keep.mutate(unjudged.id)"
        >Accept <kbd>K</kbd></v-btn
      >
      <v-btn class="step" @click="emit('exclude')">Exclude <kbd>X</kbd></v-btn>
      <v-btn class="step" :disabled="!connected || undone" @click="emit('arm')"
        >Pull again <kbd>A</kbd></v-btn
      >
    </div>
    <template v-else-if="!current">
      <div class="d-flex flex-wrap ga-2 py-3" role="group" aria-label="Setup to pull next">
        <v-btn
          v-for="known in programme.setups.filter((one) => one.candidate === 'in')"
          :key="known.id"
          :aria-pressed="known.id === nextSetup"
          :variant="known.id === nextSetup ? 'outlined' : 'text'"
          @click="chosenSetup = known.id"
        >
          <SetupMark class="mr-2" :position="known.position" /> {{ known.name }}
        </v-btn>
      </div>
      <PullOptions
        v-if="next"
        v-model="wanted"
        v-model:wrong="wrongSweep"
        :programme="programme"
        :purpose="next.purpose"
        :can-hold="canHold"
        :extend-to="extendTo"
      />
      <v-btn
        class="step w-100"
        color="hand"
        variant="flat"
        :disabled="!connected || arm.isPending.value || undone || Boolean(wrongSweep)"
        @click="emit('arm')"
      >
        Setup fitted: arm pull {{ nextNumber }} <kbd>A</kbd>
      </v-btn>
    </template>
    <template v-else>
      <HoldButton ref="hold" :disabled="!mayStart" @held="emit('start')">{{ holdLabel }}</HoldButton>
      <div class="d-flex flex-wrap ga-2 mt-3 align-center">
        <v-btn
          v-if="armed && !mine"
          :disabled="takeControl.isPending.value"
          @click="takeControl.mutate(current.id)"
        >
          Take control from {{ current.operator }}
        </v-btn>
        <v-btn v-if="armed && held && !overriding" @click="overriding = true">Override and start…</v-btn>
        <v-text-field
          v-if="overriding && armed"
          v-model="override"
          label="Reason to start outside a window"
          @keydown.enter.prevent="hold?.focus()"
        />
      </div>
    </template>
    <v-btn
      v-if="moving"
      class="abort w-100 mt-3 font-weight-bold"
      color="error"
      variant="flat"
      :disabled="!mayStop"
      @click="emit('abort')"
    >
      Abort <kbd>Esc</kbd>
    </v-btn>
  </div>
</template>

<style scoped>
/* The next step is loud; while something moves, nothing is larger than the way to stop it. */
.step {
  --v-btn-height: 64px;
  font-size: 18px;
}
.abort {
  --v-btn-height: 104px;
  font-size: 30px;
}
</style>
