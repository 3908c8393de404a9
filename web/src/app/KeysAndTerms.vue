<script setup lang="ts">
/** What the help lists: the keys that are bound now, and what words mean. */
import { TERMS } from '../ui/terms'
import { boundKeys } from './keys'

const keys = boundKeys()
</script>

<template>
  <div class="split overflow-y-auto" tabindex="0" role="group" aria-label="Keys and terms">
    <section>
      <h1 class="mb-3">Keys of this screen</h1>
      <dl class="pairs-of prose size-15">
        <template v-for="binding in keys" :key="binding.label">
          <dt>
            <kbd>{{ binding.label }}</kbd>
          </dt>
          <dd>{{ binding.does }}</dd>
        </template>
      </dl>
    </section>
    <section>
      <h1 class="mb-3">Terms</h1>
      <dl class="prose size-15">
        <template v-for="(means, term) in TERMS" :key="term">
          <dt class="font-weight-bold">{{ term }}</dt>
          <dd class="mb-2">{{ means }}</dd>
        </template>
      </dl>
    </section>
  </div>
</template>
