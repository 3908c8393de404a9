<script setup lang="ts">
/** Who belongs to the shop, and who changed what. */
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'

import { answer, api, Problem } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import PagedTable from '../../ui/PagedTable.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { day, moment } from '../../ui/figures'
import { useFirstFocus } from '../../ui/useFirstFocus'
import { useKeys } from '../../app/keys'
import { type PersonRow, usePeople } from './queries'
import { done } from '../../app/undo'
import { usePaged } from '../../ui/usePaged'
import { useUnsaved } from '../../ui/useUnsaved'

const { data, error, isPending } = usePeople()
const { search, page, sortBy, asked } = usePaged()
const audit = useQuery({
  queryKey: computed(() => ['audit', asked.value] as const),
  queryFn: async ({ queryKey: [, query] }) => answer(await api.GET('/api/audit', { params: { query } })),
  placeholderData: (before) => before,
})
const CHANGES = [
  { key: 'at', title: 'When', sortable: true },
  { key: 'by', title: 'Who' },
  { key: 'what', title: 'What' },
]
const roles = computed(() => data.value?.roles ?? [])
const choices = computed(() => roles.value.map((role) => ({ value: role.value, label: role.label })))
const adding = ref(false)
useFirstFocus('first')
const given = useUnsaved('new person', { username: '', name: '', role: 'operator' })
/** Shown once: nobody can look it up later. */
const invited = ref<{ name: string; address: string } | null>(null)

function invite(made: { person: PersonRow; way_in: string }) {
  invited.value = { name: made.person.name, address: `${window.location.origin}${made.way_in}` }
}
const add = useAction(async () => {
  invite(answer(await api.POST('/api/people', { body: given.value })))
  adding.value = false
  given.value = { username: '', name: '', role: 'operator' }
})
const wrong = (field: string) =>
  add.error.value instanceof Problem ? add.error.value.fields[field] : undefined
const path = (person: PersonRow) => ({ params: { path: { person_id: person.id } } })
const change = useAction(
  async ({ person, ...body }: { person: PersonRow; role?: string; active?: boolean }) =>
    answer(await api.PATCH('/api/people/{person_id}', { ...path(person), body })),
)
const reset = useAction(async (person: PersonRow) =>
  invite(answer(await api.POST('/api/people/{person_id}/reset', path(person)))),
)
const unlock = useAction(async (person: PersonRow) =>
  answer(await api.POST('/api/people/{person_id}/unlock', path(person))),
)
async function changeRole(person: PersonRow, role: string) {
  const before = person.role
  await change.mutateAsync({ person, role })
  done(`${person.name} has another role.`, () => change.mutateAsync({ person, role: before }))
}
async function deactivate(person: PersonRow) {
  await change.mutateAsync({ person, active: false })
  done(`${person.name} is deactivated.`, () => change.mutateAsync({ person, active: true }))
}
const problem = computed(
  () => [add, change, reset, unlock].map((action) => action.error.value).find(Boolean) ?? null,
)
function signedIn(person: PersonRow): string {
  if (!person.active) return 'deactivated'
  if (!person.has_password) return 'has not chosen a password yet'
  return person.last_sign_in ? `signed in ${day(person.last_sign_in)}` : 'never signed in'
}
async function copy() {
  await navigator.clipboard?.writeText(invited.value?.address ?? '')
}
useKeys([{ key: 'n', label: 'N', does: 'Add a person', press: () => (adding.value = true) }])
</script>

<template>
  <div class="page most-900 pa-4">
    <header class="page-head">
      <h1>People</h1>
      <v-btn color="hand" variant="flat" @click="adding = true">Add person</v-btn>
    </header>
    <ProblemNote :error="error ?? problem" />
    <v-card v-if="invited" class="pa-4 border mb-4" role="status">
      <p class="text">
        Hand this link to {{ invited.name }}. It is good once, for three days, and is not shown again.
      </p>
      <v-text-field
        :model-value="invited.address"
        label="Link to choose a password"
        readonly
        data-test="way-in"
      />
      <p class="acts d-flex ga-2 mt-3">
        <v-btn @click="copy">Copy link</v-btn>
        <v-btn @click="invited = null">Close</v-btn>
      </p>
    </v-card>
    <v-card v-if="adding" class="pa-4 border mb-4">
      <v-form @submit.prevent="add.mutate(undefined)">
        <h2>Add a person</h2>
        <div class="pair">
          <v-text-field ref="first" v-model="given.name" label="Full name" :error-messages="wrong('name')" />
          <v-text-field
            v-model="given.username"
            label="Name to sign in with"
            autocomplete="off"
            :error-messages="wrong('username')"
          />
        </div>
        <v-radio-group v-model="given.role" hide-details density="compact" label="Role" class="mt-2">
          <v-radio
            v-for="role in roles"
            :key="role.value"
            :value="role.value"
            :label="`${role.label}: ${role.may}`"
          />
        </v-radio-group>
        <p class="acts d-flex ga-2 mt-3">
          <v-btn type="submit" color="hand" variant="flat">Add person</v-btn>
          <v-btn variant="text" @click="adding = false">Cancel</v-btn>
        </p>
      </v-form>
    </v-card>
    <v-skeleton-loader v-if="isPending" type="table-tbody" />
    <div>
      <v-table v-if="data" class="figures people">
        <thead>
          <tr>
            <th class="words">Name</th>
            <th class="words">Signs in as</th>
            <th class="words">Role</th>
            <th class="words">Last sign-in</th>
            <th class="words"><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="person in data.people" :key="person.id" :class="{ gone: !person.active }">
            <td class="words">{{ person.name }}{{ person.is_me ? ' (you)' : '' }}</td>
            <td class="words">{{ person.username }}</td>
            <td class="words">
              <v-select
                :model-value="person.role"
                :items="choices"
                :aria-label="`Role of ${person.name}`"
                :disabled="!person.active"
                density="compact"
                hide-details
                @update:model-value="(role: string) => changeRole(person, role)"
              />
            </td>
            <td class="words">
              {{ signedIn(person) }}
              <template v-if="person.wrong_tries"> · {{ person.wrong_tries }} wrong passwords since</template>
            </td>
            <td class="words">
              <span class="acts d-flex ga-2">
                <v-btn v-if="person.wrong_tries" @click="unlock.mutate(person)">Unlock</v-btn>
                <v-btn v-if="person.active && !person.is_me" @click="reset.mutate(person)">
                  Reset password
                </v-btn>
                <v-btn v-if="person.active && !person.is_me" @click="deactivate(person)"> Deactivate </v-btn>
                <v-btn v-if="!person.active" @click="change.mutate({ person, active: true })">
                  Restore
                </v-btn>
              </span>
            </td>
          </tr>
        </tbody>
      </v-table>
    </div>
    <h2 class="changes mt-7">Changes</h2>
    <PagedTable
      v-model:search="search"
      v-model:page="page"
      v-model:sort-by="sortBy"
      noun="change"
      placeholder="What, or by whom"
      :columns="CHANGES"
      :rows="audit.data.value?.rows"
      :total="audit.data.value?.total ?? 0"
      :busy="audit.isFetching.value"
      :error="audit.error.value"
    >
      <template #empty><p class="quiet">Nothing was changed yet.</p></template>
      <template #row="{ item: entry }">
        <tr>
          <td class="text-no-wrap quiet">{{ moment(entry.at) }}</td>
          <td>{{ entry.by }}</td>
          <td class="words">{{ entry.what }}</td>
        </tr>
      </template>
    </PagedTable>
  </div>
</template>

<style scoped>
.people td {
  vertical-align: middle;
}
.gone td {
  color: var(--quiet);
}
.people :deep(.v-select) {
  min-width: 130px;
}
@media (max-width: 700px) {
  .people thead {
    display: none;
  }
  .people tr {
    display: block;
    border-bottom: 1px solid var(--line);
    padding: 8px 0;
  }
  .people td {
    display: block;
    border: 0;
    padding: 3px 0;
  }
  .acts {
    flex-wrap: wrap;
  }
}
</style>
