<script setup lang="ts">
/** Starts only when held: a touch or a slip must not start an engine. */
import { useEventListener } from '@vueuse/core'
import { onScopeDispose, ref, useTemplateRef, watch } from 'vue'

const props = withDefaults(defineProps<{ disabled?: boolean; seconds?: number }>(), {
  disabled: false,
  seconds: 0.8,
})
const emit = defineEmits<{ held: [] }>()
const share = ref(0)
let startedAt = 0
let request = 0

function grow(now: number) {
  share.value = Math.min((now - startedAt) / (props.seconds * 1000), 1)
  if (share.value < 1) {
    request = requestAnimationFrame(grow)
  } else {
    share.value = 0
    emit('held')
  }
}
watch(
  () => props.disabled,
  (disabled) => disabled && release(),
)
function press() {
  if (props.disabled || request) return
  startedAt = performance.now()
  request = requestAnimationFrame(grow)
}
function release() {
  cancelAnimationFrame(request)
  request = 0
  share.value = 0
}
/** With the focus on it, Space and Enter are the finger. A key that repeats was pressed elsewhere or before. */
function pressKey(event: KeyboardEvent) {
  event.preventDefault()
  if (!event.repeat) press()
}
useEventListener(window, 'blur', release) // the key or finger may come up where this page does not hear it
onScopeDispose(release)
const button = useTemplateRef<HTMLButtonElement>('button')
defineExpose({ press, release, focus: () => button.value?.focus() })
</script>

<template>
  <button
    ref="button"
    type="button"
    class="hold position-relative w-100 size-22"
    :aria-disabled="disabled"
    @pointerdown="press"
    @pointerup="release"
    @pointerleave="release"
    @pointercancel="release"
    @keydown.space="pressKey"
    @keydown.enter="pressKey"
    @keyup.space.prevent="release"
    @keyup.enter.prevent="release"
    @blur="release"
    @contextmenu.prevent
  >
    <span class="fill position-absolute bg-hand" :style="{ width: `${share * 100}%` }" />
    <span class="position-relative"><slot /></span>
  </button>
</template>

<style scoped>
.hold {
  min-height: 72px;
  border: 2px solid var(--hand);
  touch-action: none;
  user-select: none;
}
.hold[aria-disabled='true'] {
  border-color: var(--quiet);
  color: var(--quiet);
}
.fill {
  inset: 0 auto 0 0;
}
</style>
