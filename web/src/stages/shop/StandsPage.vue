<script setup lang="ts">
/** The stands of the shop: whether each is linked, and what the owner arranges about it. */
import { useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import ProblemNote from '../../ui/ProblemNote.vue'
import { useKeys } from '../../app/keys'
import { type StandRow, useStands } from './queries'
import { KINDS } from './stand_map/standMap'
import StandForm from './StandForm.vue'
import { done } from '../../app/undo'

const queries = useQueryClient()
const { data, error, isPending } = useStands()
const inUse = computed(() => data.value?.stands.filter((stand) => stand.on_line && !stand.retired_at) ?? [])
const retired = computed(() => data.value?.stands.filter((stand) => stand.on_line && stand.retired_at) ?? [])
const adding = ref(false)
const editing = ref<number | null>(null)

const path = (stand: StandRow) => ({ params: { path: { stand_id: stand.id } } })
const simulate = useAction(async (engine: string) =>
  answer(await api.POST('/api/stands/simulated', { body: { engine } })),
)
const retire = useAction(async (stand: StandRow) => {
  answer(await api.POST('/api/stands/{stand_id}/retire', path(stand)))
  done(`${stand.name} is retired.`, () => bringBack.mutateAsync(stand))
})
const bringBack = useAction(async (stand: StandRow) =>
  answer(await api.POST('/api/stands/{stand_id}/bring-back', path(stand))),
)
const remove = useAction(async (stand: StandRow) =>
  answer(await api.DELETE('/api/stands/{stand_id}', path(stand))),
)
const problem = computed(
  () => [simulate, retire, bringBack, remove].map((action) => action.error.value).find(Boolean) ?? null,
)
async function saved() {
  adding.value = false
  editing.value = null
  await queries.invalidateQueries()
}
function linkText(stand: StandRow): string {
  if (stand.recorder) return `No line: ${stand.why}.`
  if (stand.connected) return stand.state === 'idle' ? 'Linked' : `Linked, ${stand.state}`
  return `Not linked: ${stand.why}.`
}
/** The open standards by which it is read. */
function standards(stand: StandRow): string {
  const kinds = (stand.map?.sources as { kind: string }[]).map((source) => source.kind)
  return KINDS.filter((kind) => kinds.includes(kind.value))
    .map((kind) => kind.label)
    .join(' and ')
}
useKeys([{ key: 'n', label: 'N', does: 'Add a stand', press: () => (adding.value = true) }])
</script>

<template>
  <div class="page most-1180 pa-4">
    <header class="page-head">
      <h1>Stands</h1>
      <span class="acts d-flex flex-wrap ga-2">
        <v-menu>
          <template #activator="{ props: activator }">
            <v-btn v-bind="activator">Add the simulated stand</v-btn>
          </template>
          <v-list>
            <v-list-item
              v-for="engine in data?.engines ?? []"
              :key="engine.value"
              :title="engine.label"
              @click="simulate.mutate(engine.value)"
            />
          </v-list>
        </v-menu>
        <v-btn color="hand" variant="flat" @click="adding = true">Add stand</v-btn>
      </span>
    </header>
    <ProblemNote :error="error ?? problem" />
    <StandForm v-if="adding" @saved="saved" @cancel="adding = false" />
    <v-skeleton-loader v-if="isPending" type="table-tbody" />
    <p v-else-if="!inUse.length && !adding" class="text">
      No stand yet. A stand is the dyno with its engine: Torvix records what it sends and stops it at a limit.
      Add yours, or the simulated one to practice on.
    </p>
    <template v-for="stand in inUse" :key="stand.id">
      <StandForm v-if="editing === stand.id" :stand="stand" @saved="saved" @cancel="editing = null" />
      <article v-else class="stand" :data-test="`stand-${stand.id}`">
        <h2>
          <strong>{{ stand.name }}</strong>
          <span v-if="stand.simulated" class="quiet size-13">simulated: {{ stand.simulated }}</span>
        </h2>
        <p :class="stand.connected ? 'linked' : 'lost'" role="status">
          {{ linkText(stand) }}
        </p>
        <p class="quiet">
          {{
            stand.recorder
              ? 'Files of its recorder'
              : stand.map
                ? `Read by ${standards(stand)}`
                : `${stand.host}:${stand.port}`
          }}
          <template v-if="stand.rate_hz"> · {{ stand.rate_hz }} samples per second</template>
          <template v-if="stand.jitter_ms !== null"> · steps uneven by {{ stand.jitter_ms }} ms</template>
          <template v-if="stand.has_conformed">
            · takes commands: this map passed its conformance run</template
          >
          <template v-else-if="stand.has_conformed === false">
            · takes no commands yet: they are mapped, but no conformance run has passed
          </template>
          <template v-else-if="stand.reports_only"> · takes no commands</template>
          <template v-if="stand.connected && !stand.weather"> · no weather station</template>
          <template v-if="stand.elevation"> · {{ stand.elevation }} above sea level</template>
          <template v-if="stand.worker_elsewhere"> · bench worker on another machine</template>
        </p>
        <p v-if="stand.gaps" class="text">
          {{ stand.gaps }} {{ stand.gaps === 1 ? 'gap' : 'gaps' }} between samples since it was linked, the
          longest {{ stand.longest_gap_s }} s. A limit is not watched in a gap: look at its cable, its network
          and its load.
        </p>
        <p v-if="stand.notes" class="text">{{ stand.notes }}</p>
        <p class="acts d-flex flex-wrap ga-2">
          <v-btn @click="editing = stand.id">Edit</v-btn>
          <v-btn v-if="stand.used" @click="retire.mutate(stand)">Retire</v-btn>
          <v-btn v-else @click="remove.mutate(stand)">Delete</v-btn>
        </p>
      </article>
    </template>
    <template v-if="retired.length">
      <h2>Retired</h2>
      <article v-for="stand in retired" :key="stand.id" class="stand">
        {{ stand.name }} <span class="quiet">{{ stand.host }}:{{ stand.port }}</span>
        <v-btn class="ml-4" @click="bringBack.mutate(stand)">Restore</v-btn>
      </article>
    </template>
  </div>
</template>

<style scoped>
.stand {
  border-top: 1px solid var(--line);
  padding: 12px 0;
}
.stand h2 {
  color: var(--ink);
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  font-size: 15px;
}
.stand .acts {
  margin-top: 8px;
}
.lost {
  border-left: 4px solid var(--hand);
  padding-left: 8px;
}
</style>
