<script setup lang="ts">
/** Read from two metres: what comes next, large figures, window tapes, live torque, hold to start, one key to abort. */
import { computed, ref, useTemplateRef } from 'vue'

import { answer, api } from '../../app/api/client'
import { useMe, useStandNow } from '../../app/api/queries'
import ExcludeDialog from '../../ui/ExcludeDialog.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import AfterPull from './AfterPull.vue'
import BeforePull from './BeforePull.vue'
import CautionsCard from './CautionsCard.vue'
import ClosedStand from './ClosedStand.vue'
import IdleCardPanel from './IdleCardPanel.vue'
import LimitsPanel from './LimitsPanel.vue'
import LiveTorque from './LiveTorque.vue'
import NotesPanel from './NotesPanel.vue'
import OpenJobsPanel from './OpenJobsPanel.vue'
import OtherChannels from './OtherChannels.vue'
import PullMarks from './PullMarks.vue'
import PullSteps from './PullSteps.vue'
import ReadingsPanel from './ReadingsPanel.vue'
import StandNotices from './StandNotices.vue'
import TankLine from './TankLine.vue'
import { type LivePoint, useLive } from './useLive'
import { usePullFlow } from './usePullFlow'
import { usePullWords } from './usePullWords'
import { saidOf, useCautions, useNextPull } from './useSession'
import { useStandMoment } from './useStandMoment'
import WindowsPanel from './WindowsPanel.vue'
import type { PullMark } from '../../ui/charts/echarts'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useFrame } from '../../app/frame'

const frameOfTest = useFrame()
const { programme, day, setup, mayOperate } = frameOfTest
const id = computed(() => programme.value.id)
/** This screen's address, for the camera of a tablet in the cell. */
const code = computed(() => `/api/address.svg?path=${encodeURIComponent(`/programmes/${id.value}/stand`)}`)
const { data: stand, error: standError } = useStandNow(id)
const connected = computed(() => Boolean(stand.value?.connected))
const flow = usePullFlow(frameOfTest, connected)
const { session, current, last, unjudged, shownSetup, mounted, override } = flow
const { open, close, start, abort, wanted, acknowledge } = flow
const { data: me } = useMe()
const chart = useTemplateRef<InstanceType<typeof LiveTorque>>('chart')
const steps = useTemplateRef<InstanceType<typeof PullSteps>>('steps')
const { next } = useNextPull(
  () => session.value?.id ?? null,
  () => shownSetup.value.id,
)
const { data: cautions } = useCautions(id)
const mustRead = computed(() => mayOperate.value && cautions.value !== undefined && !cautions.value.read)
/** A stand that only reports is started at its own console. */
const commanded = computed(() => stand.value?.can.includes('start') ?? true)
const undone = computed(() => next.value?.due.some((item) => !item.done_by) ?? false)

let pullShown: number | null = null
const live = useLive(
  id,
  () => session.value !== null,
  (fresh) => {
    if (fresh.pull !== null && fresh.pull !== pullShown) {
      pullShown = fresh.pull
      chart.value?.clear()
      void backfill(fresh.pull)
    }
    chart.value?.add(fresh.points, fresh.n)
  },
  () => pullShown !== null && void backfill(pullShown),
)
const { streaming, refused, unseen } = live
/** A browser that slept, or opened in the middle: what it missed of the pull that runs. */
async function backfill(pull_id: number) {
  const found = await api
    .GET('/api/pulls/{pull_id}/live-curve', { params: { path: { pull_id } } })
    .then(answer)
    .catch(() => null) // the frames go on, and the whole curve comes with the end
  if (found && pullShown === pull_id) chart.value?.fill(found.points as LivePoint[])
}

const { gates, held, running, armed, faulty, others, values, stopped, moving, way, mayStop, alarm } =
  useStandMoment(stand, live, flow, mayOperate)

const marks = ref<(PullMark & { pull: number })[]>([])
/** Those of another pull stand on its own curve. */
const marksNow = computed(() => marks.value.filter((mark) => mark.pull === current.value?.id))
const extendTo = ref<number | null>(null)
function extend(rpm: number) {
  extendTo.value = rpm
  wanted.value = { ...wanted.value, end_rpm: rpm }
}
const excluding = ref(false)
/** With what was said of single fields: they stand elsewhere on this screen. */
const problem = computed(() => {
  const words = flow.problem.value ? saidOf(flow.problem.value) : refused.value
  return words ? new Error(words) : null
})
/** Whoever armed the pull holds the control, until somebody takes it. */
const mine = computed(() => current.value?.operator_username === me.value?.username)
const mayStart = computed(
  () =>
    armed.value && commanded.value && mine.value && (!held.value.length || override.value.trim().length > 0),
)

function armNext() {
  if (!mayOperate.value || !steps.value?.mayArm()) return
  flow.armNext()
}
function startHeld() {
  if (current.value && mayStart.value) start.mutate(current.value.id)
}
function abortNow() {
  steps.value?.release()
  abort.mutate({ way: way.value, pull_id: current.value?.id ?? null })
}

const { headline, lead, holdLabel } = usePullWords(frameOfTest, flow, {
  running,
  armed,
  commanded,
  mine,
  held,
})
</script>

<template>
  <div class="page stand">
    <template v-if="!session">
      <ClosedStand
        :programme="id"
        :stands="day.stands"
        :last="day.session"
        :may-operate="mayOperate"
        :pending="open.isPending.value"
        @open="(stand_id, fluids) => open.mutate({ stand_id, ...fluids })"
      />
      <ProblemNote :error="open.error.value" />
    </template>
    <template v-else>
      <section class="min-w-0">
        <p v-if="alarm" class="alarm bg-hand font-weight-bold" role="alert" data-test="alarm">{{ alarm }}</p>
        <div
          class="d-flex ga-3 align-center pa-3 border"
          :class="{ 'bg-hand': !running && !alarm }"
          data-test="headline"
          role="status"
        >
          <SetupMark :position="shownSetup.position" :size="34" />
          <div>
            <strong class="d-block size-22 font-weight-regular">{{ headline }}</strong>
            <span>{{ lead }}</span>
          </div>
        </div>
        <StandNotices
          :stopped="stopped"
          :unseen="current ? unseen : ''"
          :unsaved="stand?.unsaved ?? ''"
          :lost="
            connected
              ? ''
              : stand?.recorder
                ? `${session.stand.name} has no line: ${stand.why}`
                : `${session.stand.name} is not linked: ${stand?.why ?? standError?.message ?? 'asking…'} It is tried again automatically.`
          "
          :streaming="streaming"
        />
        <ReadingsPanel
          :channels="stand?.channels ?? []"
          :values="values"
          :tapes="gates"
          :faulty="faulty"
          :running="running"
        />
        <AfterPull
          v-if="last && !current && last.state === 'complete' && last.setup_id === shownSetup.id"
          :pull="last"
          :may-operate="mayOperate"
          @extend="extend"
        />
        <TankLine
          v-if="next && !current"
          :session="session.id"
          :setup="shownSetup.id"
          :tank="next.tank"
          :may-operate="mayOperate"
        />
        <PullSteps
          v-if="mayOperate"
          ref="steps"
          :flow="flow"
          :next="next ?? null"
          :can-hold="stand?.can.includes('holds') ?? false"
          :extend-to="extendTo"
          :connected="connected"
          :undone="undone"
          :armed="armed"
          :mine="mine"
          :held="held.length > 0"
          :may-start="mayStart"
          :hold-label="holdLabel"
          :moving="moving"
          :may-stop="mayStop"
          @arm="armNext"
          @start="startHeld"
          @exclude="excluding = true"
          @abort="abortNow"
        />
        <!-- Below the button that is held and the one that aborts: neither may move under a finger. -->
        <PullMarks
          v-if="mayOperate && running && current"
          v-model="marks"
          :session="session.id"
          :pull="current.id"
          :rpm="values.rpm ?? null"
        />
        <OpenJobsPanel v-if="!running && !armed" :session="session.id" :may-operate="mayOperate" />
        <ProblemNote :error="problem" />
        <p v-if="mayOperate" class="prose size-15 my-3 quiet">
          Hold <kbd>Space</kbd> or <kbd>Enter</kbd> to start · <kbd>Esc</kbd> aborts · <kbd>?</kbd> lists the
          keys. Esc works from every field; the wired emergency stop does not depend on this screen.
        </p>
        <p v-else class="prose size-15 my-3 quiet" data-test="watching">
          You are watching. Whoever operates the stand arms, starts and judges the pulls; <kbd>?</kbd> lists
          your keys.
        </p>
        <div class="d-flex flex-wrap ga-2">
          <v-menu location="top">
            <template #activator="{ props: activator }">
              <v-btn v-bind="activator" variant="text">Open on a tablet…</v-btn>
            </template>
            <v-card class="pa-4">
              <p class="text">Point its camera at this.</p>
              <img :src="code" width="180" height="180" alt="QR code of this screen" />
            </v-card>
          </v-menu>
          <v-btn
            v-if="mayOperate && !current"
            :disabled="close.isPending.value"
            @click="close.mutate(session.id)"
          >
            Close session
          </v-btn>
        </div>
      </section>
      <section class="d-flex flex-column min-w-0">
        <CautionsCard v-if="mustRead" :programme="id">
          <v-btn
            color="hand"
            variant="flat"
            :disabled="acknowledge.isPending.value"
            @click="acknowledge.mutate(session.id)"
          >
            I, {{ me?.name }}, have read this
          </v-btn>
        </CautionsCard>
        <BeforePull
          v-if="next && !current && !unjudged && (undone || (next.swaps.length && !next.change?.ended_at))"
          :session="session.id"
          :setup="shownSetup"
          :next="next"
          :mounted="mounted === null ? null : setup(mounted)"
          :may-operate="mayOperate"
        />
        <LiveTorque v-else ref="chart" :shown="shownSetup" :current="current" :marks="marksNow" />
        <OtherChannels class="mt-3" :channels="others" :values="values" />
        <NotesPanel
          :programme="id"
          :session="session.id"
          :pull="current ?? (last?.session_id === session.id ? last : null)"
          :may-operate="mayOperate"
        />
        <IdleCardPanel :session="session.id" :setup="shownSetup" :may-operate="mayOperate" />
        <WindowsPanel :programme="id" :may-operate="mayOperate" />
        <LimitsPanel :stand="session.stand.id" :setup="shownSetup.id" />
      </section>
    </template>
    <ExcludeDialog v-if="excluding && unjudged" :pull="unjudged" @done="excluding = false" />
  </div>
</template>

<style scoped>
.stand {
  display: grid;
  grid-template-columns: minmax(400px, 440px) minmax(0, 1fr);
  gap: 24px;
}
.alarm {
  padding: 14px 16px;
  font-size: 26px;
}
@media (max-width: 960px) {
  .stand {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
