<script setup lang="ts">
/** The register of instruments: what each channel's last check found, when the next is due, and new checks. */
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, type Schema } from '../../app/api/client'
import { useKeys } from '../../app/keys'
import { day } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'
import InstrumentCheckForm from './InstrumentCheckForm.vue'

type Row = Schema['InstrumentOut']
const queries = useQueryClient()
const { data, error, isPending } = useQuery({
  queryKey: ['instruments'],
  queryFn: async () => answer(await api.GET('/api/instruments')),
})
/** The channel that is being checked, by stand. */
const open = ref<{ stand: number; row: Row } | null>(null)
const first = computed(() => data.value?.stands.find((stand) => stand.instruments.length))
useKeys([
  {
    key: 'n',
    label: 'N',
    does: 'Check the torque of the first stand',
    press: () =>
      data.value?.may_write &&
      first.value &&
      (open.value = { stand: first.value.stand_id, row: first.value.instruments[0]! }),
  },
])
function saved(fresh: Schema['RegisterOut']) {
  queries.setQueryData(['instruments'], fresh)
  void queries.invalidateQueries({ queryKey: ['next'] })
  open.value = null
}
</script>

<template>
  <div class="page most-900 pa-4">
    <h1>Instruments</h1>
    <p class="text quiet">
      What each channel's last check found. Torque is checked with weights on an arm of known length; other
      channels beside an instrument that is known to be right. Nothing measured is changed by a check: set the
      stand right at the stand, then check it again. Pulls and reports say what the last check before them
      found.
    </p>
    <ProblemNote :error="error" />
    <v-skeleton-loader v-if="isPending" type="table-tbody" />
    <p v-else-if="!data?.stands.length" class="text">
      No stand yet. Add one under Stands; its channels are listed here once it has been linked.
    </p>
    <section v-for="stand in data?.stands ?? []" :key="stand.stand_id" class="mt-3">
      <h2>{{ stand.stand }}</h2>
      <p v-if="!stand.instruments.length" class="quiet">Not linked yet: its channels are not known.</p>
      <InstrumentCheckForm
        v-if="open?.stand === stand.stand_id"
        :key="open.row.channel"
        :stand="stand.stand_id"
        :row="open.row"
        :register="data!"
        @saved="saved"
        @cancel="open = null"
      />
      <v-table v-if="stand.instruments.length" :data-test="`instruments-${stand.stand_id}`">
        <thead>
          <tr>
            <th scope="col">Channel</th>
            <th scope="col">Zero</th>
            <th scope="col">Last check</th>
            <th scope="col">Next due</th>
            <th scope="col"><span class="d-sr-only">Acts</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in stand.instruments" :key="row.channel">
            <th scope="row" class="text-left text-no-wrap">{{ row.name }}</th>
            <td class="words">
              <template v-if="row.zero">{{ row.zero.found }}, {{ day(row.zero.at) }}</template>
              <span v-else class="quiet">never</span>
            </td>
            <td class="words">
              <template v-if="row.check">
                {{ row.check.found }}
                <span class="quiet"
                  >{{ row.check.kind.toLowerCase() }}, {{ day(row.check.at) }}, {{ row.check.by
                  }}<template v-if="row.check.note">: {{ row.check.note }}</template></span
                >
              </template>
              <span v-else class="quiet">never checked: how far it is right is not known</span>
            </td>
            <td class="text-no-wrap">
              <strong v-if="row.is_due" class="hand-note">overdue, {{ day(row.due_at!) }}</strong>
              <template v-else-if="row.due_at">{{ day(row.due_at) }}</template>
              <span v-else-if="!row.days" class="quiet">not asked for</span>
              <span v-else class="quiet">every {{ row.days }} days once checked</span>
            </td>
            <td class="acts text-right">
              <v-link
                v-if="data?.may_write"
                :aria-label="`Check ${row.name.toLowerCase()} of ${stand.stand}`"
                @click="open = { stand: stand.stand_id, row }"
                >Check</v-link
              >
            </td>
          </tr>
        </tbody>
      </v-table>
    </section>
  </div>
</template>
