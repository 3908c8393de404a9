<script setup lang="ts">
/** The versions that were issued, their files, and the links by which others read them. */
import { computed, ref } from 'vue'

import { answer, api, Problem, type Schema } from '../../app/api/client'
import { useAction } from '../../app/api/queries'
import { useFrame } from '../../app/frame'
import { clock, day } from '../../ui/figures'
import ProblemNote from '../../ui/ProblemNote.vue'

defineProps<{
  sheets: Schema['SheetOut'][]
  /** The version that is looked at; 0 is the draft. */
  shown: number
}>()
const emit = defineEmits<{ show: [sheet: number] }>()
const { mayOperate } = useFrame()
const days = ref('30')
const recipient = ref('')
const giving = useAction(async (sheet_id: number) =>
  answer(
    await api.POST('/api/sheets/{sheet_id}/links', {
      params: { path: { sheet_id } },
      body: { days: Number(days.value) || 0, recipient: recipient.value },
    }),
  ),
)
async function give(sheet: number) {
  await giving.mutateAsync(sheet).catch(() => undefined) // the note below says why
  if (!giving.error.value) recipient.value = ''
}
const revoking = useAction(async (link_id: number) =>
  answer(await api.DELETE('/api/links/{link_id}', { params: { path: { link_id } } })),
)
const whole = (address: string) => `${window.location.origin}${address}`
const fields = computed(() => (giving.error.value instanceof Problem ? giving.error.value.fields : {}))
</script>

<template>
  <div>
    <ProblemNote :error="giving.error.value ?? revoking.error.value" />
    <ol class="plain-list pa-0" data-test="sheets">
      <li v-for="one in sheets" :key="one.id" class="border-t py-2">
        <v-btn
          variant="text"
          class="px-0"
          :class="{ 'font-weight-bold': shown === one.id }"
          :aria-pressed="shown === one.id"
          @click="emit('show', one.id)"
        >
          Version {{ one.number }}
        </v-btn>
        <span class="quiet">&nbsp; {{ day(one.at) }} {{ clock(one.at) }}, {{ one.by }}</span>
        <div v-if="one.change" class="prose size-15 line-text ma-0">{{ one.change }}</div>
        <div class="d-flex flex-wrap ga-2 align-center my-1 mx-0">
          <a
            v-for="kind in ['pdf', 'csv', 'xlsx', 'svg', 'png']"
            :key="kind"
            :href="`/api/sheets/${one.id}/sheet.${kind}`"
            download
            >{{ kind.toUpperCase() }}</a
          >
        </div>
        <div v-for="link in one.links" :key="link.id" class="link ga-1 my-1" :class="{ quiet: !link.open }">
          <a
            v-if="link.open && link.address"
            :href="link.address"
            target="_blank"
            rel="noreferrer"
            data-test="link"
            >{{ link.recipient || 'Link' }}</a
          >
          <span v-else>{{ link.recipient || 'Link' }}</span>
          <span class="quiet all-columns">
            {{ link.revoked_at ? 'revoked' : link.open ? `until ${day(link.expires_at)}` : 'expired' }},
            opened {{ link.opened === 1 ? 'once' : `${link.opened} times` }}
          </span>
          <v-text-field
            v-if="link.open && link.address"
            readonly
            :model-value="whole(link.address)"
            class="all-columns"
            aria-label="Address of the link"
            @focus="($event.target as HTMLInputElement).select()"
          />
          <v-btn v-if="mayOperate && link.open" variant="text" @click="revoking.mutate(link.id)">
            Revoke</v-btn
          >
        </div>
        <v-form
          v-if="mayOperate && shown === one.id"
          class="d-flex flex-wrap ga-2 align-center"
          @submit.prevent="give(one.id)"
        >
          <v-text-field
            v-model="recipient"
            placeholder="Recipient"
            aria-label="Recipient of the link"
            class="wide-field"
          />
          <v-text-field
            v-model="days"
            inputmode="numeric"
            class="number w-60"
            aria-label="Days that the link lasts"
            :error="Boolean(fields.days)"
          />
          <span class="quiet">days</span>
          <v-btn type="submit">Create link</v-btn>
        </v-form>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.link {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
}
</style>
