<script setup lang="ts">
/** What came of trying a line: what the stand says of itself, and whether it keeps to the protocol. */
import type { Schema } from '../../app/api/client'

defineProps<{ tried: Schema['TriedOut'] }>()
</script>

<template>
  <section class="trial" aria-live="polite" data-test="line-trial">
    <p v-if="tried.why" class="text broken" role="alert">{{ tried.why }}</p>
    <template v-else>
      <p class="text">
        <strong>{{ tried.says }}</strong> answers{{ tried.simulated ? ', a simulated stand' : '' }}:
        {{ tried.rate_hz }} samples per second.
      </p>
      <dl>
        <dt>Takes</dt>
        <dd>{{ tried.can.join(', ') || 'no commands: pulls are started at its console' }}</dd>
        <dt>Watchdog</dt>
        <dd>{{ tried.watchdog_s === null ? 'none' : `stops by itself after ${tried.watchdog_s} s` }}</dd>
        <dt>Weather</dt>
        <dd>{{ tried.weather.join(', ') || 'none: log the air by hand' }}</dd>
        <dt>Inertia</dt>
        <dd>{{ tried.inertia }}</dd>
      </dl>
      <v-table class="figures">
        <thead>
          <tr>
            <th class="words">Channel</th>
            <th class="words">Unit</th>
            <th class="words">Used as</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="channel in tried.channels" :key="channel.name">
            <td class="words">{{ channel.name }}</td>
            <td class="words">{{ channel.unit }}</td>
            <td class="words" :class="{ quiet: !channel.understood }">
              {{ channel.understood || 'stored only' }}
            </td>
          </tr>
        </tbody>
      </v-table>
      <ul>
        <li v-for="check in tried.checks" :key="check.rule" :class="{ broken: check.wrong }">
          {{ check.wrong ? '✗' : '✓' }} {{ check.rule
          }}<template v-if="check.wrong">: {{ check.wrong }}</template>
        </li>
      </ul>
    </template>
  </section>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 2px 10px;
  margin: 8px 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
ul {
  list-style: none;
  padding: 8px 0 0;
}
.broken {
  color: var(--stop);
}
</style>
