<script setup lang="ts">
/** Read from two metres: what comes next, large figures, window tapes, live torque, hold to start, one key to abort. */
import { computed, ref, useTemplateRef, watch } from 'vue'

import { answer, api } from '../../app/api/client'
import { useMe, useStandNow } from '../../app/api/queries'
import ExcludeDialog from '../../ui/ExcludeDialog.vue'
import ProblemNote from '../../ui/ProblemNote.vue'
import { channelFigure } from '../../ui/figures'
import { useKeys } from '../../app/keys'
import AfterPull from './AfterPull.vue'
import BeforePull from './BeforePull.vue'
import CautionsCard from './CautionsCard.vue'
import ClosedStand from './ClosedStand.vue'
import HoldButton from './HoldButton.vue'
import LimitsPanel from './LimitsPanel.vue'
import LiveTorque from './LiveTorque.vue'
import NotesPanel from './NotesPanel.vue'
import OpenJobsPanel from './OpenJobsPanel.vue'
import PullOptions from './PullOptions.vue'
import ReadingsPanel from './ReadingsPanel.vue'
import { useLive } from './useLive'
import { usePullFlow, type WayToStop } from './usePullFlow'
import { saidOf, useCautions, useNextPull } from './useSession'
import WindowsPanel from './WindowsPanel.vue'
import SetupMark from '../../ui/setups/SetupMark.vue'
import { useFrame } from '../../app/frame'

const frameOfProgramme = useFrame()
const { programme, day, setup, mayOperate } = frameOfProgramme
const id = computed(() => programme.value.id)
/** This screen's address, for the camera of a tablet in the cell. */
const code = computed(() => `/api/address.svg?path=${encodeURIComponent(`/programmes/${id.value}/stand`)}`)
const { data: stand, error: standError } = useStandNow(id)
const connected = computed(() => Boolean(stand.value?.connected))
const flow = usePullFlow(frameOfProgramme, connected)
const {
  session,
  current,
  last,
  nextNumber,
  unjudged,
  chosenSetup,
  nextSetup,
  shownSetup,
  mounted,
  override,
} = flow
const { open, close, arm, start, abort, keep, wanted, acknowledge, takeControl } = flow
const { data: me } = useMe()
const chart = useTemplateRef<InstanceType<typeof LiveTorque>>('chart')
const hold = useTemplateRef<InstanceType<typeof HoldButton>>('hold')
const notes = useTemplateRef<InstanceType<typeof NotesPanel>>('notes')
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
const { frame, streaming, refused, tripped, unseen, notStopped } = useLive(
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
/** A browser that slept, or opened in the middle: what it missed of the pull that runs. */
async function backfill(pull_id: number) {
  const found = answer(await api.GET('/api/pulls/{pull_id}/live-curve', { params: { path: { pull_id } } }))
  if (pullShown === pull_id) chart.value?.fill(found.points as [number, number][])
}

const gates = computed(() =>
  (stand.value?.gates ?? []).map((gate) => ({
    gate,
    value: frame.value ? (frame.value.values[gate.channel] ?? null) : (gate.value ?? null),
    side: frame.value ? (frame.value.sides[gate.channel] ?? 'silent') : gate.side,
    opens: frame.value?.opens[gate.channel] ?? null,
  })),
)
const held = computed(() => gates.value.filter((tape) => tape.side !== 'inside'))
/** The stream says first that the sweep has begun; the record follows. */
const running = computed(
  () =>
    current.value?.state === 'running' ||
    (current.value?.state === 'armed' && frame.value?.state === 'sweeping'),
)
const armed = computed(() => current.value?.state === 'armed' && !running.value)
const faulty = computed(() =>
  (frame.value?.faulty ?? stand.value?.faulty ?? []).map((name) => name.replaceAll('_', ' ')),
)
/** Channels that have no place of their own above. */
const others = computed(() => {
  const shown = ['rpm', 'torque', 'lambda', 'boost', ...gates.value.map((tape) => tape.gate.channel)]
  return (stand.value?.channels ?? []).filter((channel) => !shown.includes(channel.name))
})
const values = computed<Record<string, number>>(() => frame.value?.values ?? stand.value?.values ?? {})

/** Why the last pull was stopped, until the next is armed; from the stream first, from the record afterwards. */
const stopped = computed(() => {
  if (current.value) return running.value || armed.value ? tripped.value : ''
  return last.value?.tripped ? `Pull ${last.value.number}. ${last.value.ended_why}` : ''
})
watch(current, (pull, before) => {
  if (pull && pull.id !== before?.id) tripped.value = unseen.value = ''
})

const wrongSweep = ref('')
const extendTo = ref<number | null>(null)
function extend(rpm: number) {
  extendTo.value = rpm
  wanted.value = { ...wanted.value, end_rpm: rpm }
}
const overriding = ref(false)
const excluding = ref(false)
/** With what was said of single fields: they stand elsewhere on this screen. */
const problem = computed(() => {
  const told = flow.problem.value ? saidOf(flow.problem.value) : refused.value
  return told ? new Error(told) : null
})
/** Whoever armed the pull holds the control, until somebody takes it. */
const mine = computed(() => current.value?.operator_username === me.value?.username)
const mayStart = computed(
  () =>
    armed.value && commanded.value && mine.value && (!held.value.length || override.value.trim().length > 0),
)

function armNext() {
  if (!mayOperate.value || wrongSweep.value) return
  overriding.value = false
  flow.armNext()
}
function startHeld() {
  if (current.value && mayStart.value) start.mutate(current.value.id)
}
/** Something moves, or may: by the record or by what the stand itself says. */
const moving = computed(
  () =>
    current.value !== null || ['armed', 'sweeping'].includes(frame.value?.state ?? stand.value?.state ?? ''),
)
/** Kept from the last answer: with the database away there is no other. */
const way = ref<WayToStop | null>(null)
watch(stand, (now) => {
  if (now?.stand_id != null && now.stop_key) way.value = { stand_id: now.stand_id, key: now.stop_key }
})
const mayStop = computed(() => mayOperate.value && moving.value && Boolean(way.value ?? current.value))
function abortNow() {
  hold.value?.release()
  abort.mutate({ way: way.value, pull_id: current.value?.id ?? null })
}
/** Said by the worker, or by the server that found no way to the stand. */
const alarm = computed(
  () =>
    notStopped.value ||
    stand.value?.alarm ||
    (abort.error.value
      ? `THE STOP DID NOT GET THROUGH: ${abort.error.value.message} Use the wired emergency stop.`
      : ''),
)
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
    press: () => mayStop.value && abortNow(),
    urgent: () => mayStop.value,
  },
  { key: 'a', label: 'A', does: 'Arm the next pull', press: armNext },
  {
    key: 'k',
    label: 'K',
    does: 'Keep the last pull',
    press: () => unjudged.value && keep.mutate(unjudged.value.id),
  },
  {
    key: 'x',
    label: 'X',
    does: 'Leave the last pull out',
    press: () => (excluding.value = Boolean(unjudged.value)),
  },
])

const headline = computed(() => {
  const name = `${shownSetup.value.letter} ${shownSetup.value.name}`
  if (running.value) return `Pull ${current.value!.number}: ${name}, running`
  if (armed.value) {
    const kind = current.value!.purpose === 'sweep' ? '' : `, ${current.value!.purpose_label.toLowerCase()}`
    return `Pull ${current.value!.number}: ${name}, armed${kind}`
  }
  if (unjudged.value) return `Pull ${unjudged.value.number}: ${name}. Accept it?`
  return `Next: ${name}`
})
/** Of the pull that is armed or runs, else as it is asked for, else the plan's. */
const sweep = computed(() => {
  const made = current.value ?? { sweep_start_rpm: null, sweep_end_rpm: null, sweep_rate_rpm_s: null }
  const from = made.sweep_start_rpm ?? wanted.value.start_rpm ?? programme.value.sweep_start_rpm
  const to = made.sweep_end_rpm ?? wanted.value.end_rpm ?? programme.value.sweep_end_rpm
  const rate = made.sweep_rate_rpm_s ?? wanted.value.rate_rpm_s ?? programme.value.sweep_rate_rpm_s
  return `sweep ${from}–${to} at ${rate} rpm/s`
})
/** What makes this setup: the parts that not every setup of the programme has; all where they are alike. */
const parts = computed(() => {
  const everywhere = (part: string) => programme.value.setups.every((other) => other.parts.includes(part))
  const own = shownSetup.value.parts.filter((part) => !everywhere(part))
  return (own.length ? own : shownSetup.value.parts).join(', ')
})
const lead = computed(() => {
  if (unjudged.value) return 'Keep it, or leave it out with a reason.'
  if (mounted.value !== null && mounted.value !== shownSetup.value.id && !running.value)
    return `Change ${setup(mounted.value).letter} to ${shownSetup.value.letter}: ${parts.value} · ${sweep.value}`
  return `${parts.value} · ${sweep.value}`
})
const holdLabel = computed(() => {
  if (running.value) return 'Pull running'
  if (!armed.value) return 'Not armed'
  if (!commanded.value) return 'Start the sweep at the console'
  if (!mine.value) return `${current.value!.operator} has control`
  if (held.value.length && !override.value.trim())
    return `Waiting for ${held.value.map((tape) => tape.gate.name.toLowerCase()).join(', ')}`
  return 'Hold to start'
})
</script>

<template>
  <div class="stand d-grid ga-6 py-3 px-4">
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
      <section class="left">
        <p v-if="alarm" class="alarm" role="alert" data-test="alarm">{{ alarm }}</p>
        <div
          class="headline d-flex ga-3 align-center pa-3 border"
          :class="{ hand: !running && !alarm }"
          data-test="headline"
        >
          <SetupMark :position="shownSetup.position" :size="34" />
          <div>
            <strong>{{ headline }}</strong>
            <span>{{ lead }}</span>
          </div>
        </div>
        <p v-if="stopped" class="stopped pa-3 my-2 mx-0 size-16" role="alert" data-test="stopped">
          {{ stopped }}
        </p>
        <p v-if="unseen && current" class="stopped pa-3 my-2 mx-0 size-16" role="alert" data-test="unseen">
          Not monitored: {{ unseen }}
        </p>
        <p
          v-if="stand?.unsaved"
          class="hand-edge on-panel py-2 px-3 my-2 mx-0 prose size-16"
          role="alert"
          data-test="unsaved"
        >
          {{ stand.unsaved }}
        </p>
        <p
          v-if="!connected"
          class="hand-edge on-panel py-2 px-3 my-2 mx-0 prose size-16"
          role="alert"
          data-test="stand-lost"
        >
          {{ session.stand.name }} is not linked: {{ stand?.why ?? standError?.message ?? 'asking…' }} It is
          tried again by itself.
        </p>
        <p v-else-if="!streaming" class="hand-edge on-panel py-2 px-3 my-2 mx-0 prose size-16" role="alert">
          Live display interrupted; pulls are still recorded.
        </p>
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
        <template v-if="mayOperate">
          <div v-if="unjudged" class="judge d-flex flex-wrap ga-2 mt-3 align-center">
            <v-btn color="hand" variant="flat" size="large" @click="keep.mutate(unjudged.id)"
              >Accept <kbd>K</kbd></v-btn
            >
            <v-btn size="large" @click="excluding = true">Exclude <kbd>X</kbd></v-btn>
            <v-btn size="large" :disabled="!connected || undone" @click="armNext"
              >Pull again <kbd>A</kbd></v-btn
            >
          </div>
          <template v-else-if="!current">
            <div class="choose d-flex flex-wrap ga-1 py-3 px-0" role="group" aria-label="Setup to pull next">
              <button
                v-for="known in programme.setups.filter((one) => one.candidate === 'in')"
                :key="known.id"
                type="button"
                :aria-pressed="known.id === nextSetup"
                @click="chosenSetup = known.id"
              >
                <SetupMark :position="known.position" /> {{ known.name }}
              </button>
            </div>
            <PullOptions
              v-if="next"
              v-model="wanted"
              v-model:wrong="wrongSweep"
              :programme="programme"
              :purpose="next.purpose"
              :can-hold="stand?.can.includes('holds') ?? false"
              :extend-to="extendTo"
            />
            <v-btn
              block
              size="x-large"
              color="hand"
              variant="flat"
              :disabled="!connected || arm.isPending.value || undone || Boolean(wrongSweep)"
              @click="armNext"
            >
              Setup fitted: arm pull {{ nextNumber }} <kbd class="ml-3">A</kbd>
            </v-btn>
          </template>
          <template v-else>
            <HoldButton ref="hold" :disabled="!mayStart" @held="startHeld">{{ holdLabel }}</HoldButton>
            <div class="under d-flex flex-wrap ga-2 mt-3 align-center">
              <v-btn
                v-if="armed && !mine"
                :disabled="takeControl.isPending.value"
                @click="takeControl.mutate(current.id)"
              >
                Take the control from {{ current.operator }}
              </v-btn>
              <v-btn v-if="armed && held.length && !overriding" @click="overriding = true"
                >Override and start…</v-btn
              >
              <v-text-field
                v-if="overriding && armed"
                v-model="override"
                label="Why start outside a window?"
                @keydown.enter.prevent="hold?.focus()"
              />
            </div>
          </template>
          <v-btn v-if="moving" class="abort w-100 mt-2 size-16" :disabled="!mayStop" @click="abortNow"
            >Abort <kbd>Esc</kbd></v-btn
          >
        </template>
        <OpenJobsPanel v-if="!running && !armed" :session="session.id" :may-operate="mayOperate" />
        <ProblemNote :error="problem" />
        <v-menu location="top">
          <template #activator="{ props: activator }">
            <v-btn v-bind="activator" variant="text">On a tablet…</v-btn>
          </template>
          <v-card class="pa-4">
            <p class="text">Point its camera at this.</p>
            <img :src="code" width="180" height="180" alt="QR code of this screen" />
          </v-card>
        </v-menu>
        <p class="hints prose size-15 my-3 mx-0 quiet">
          Hold <kbd>Space</kbd> or <kbd>Enter</kbd> to start · <kbd>Esc</kbd> aborts · <kbd>?</kbd> lists the
          keys. Esc asks the stand to stop; the wired emergency stop is the stand's own.
        </p>
        <v-btn
          v-if="mayOperate && !current"
          class="close"
          :disabled="close.isPending.value"
          @click="close.mutate(session.id)"
        >
          Close the session
        </v-btn>
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
          @measured="(_, label) => notes?.measure(label)"
        />
        <LiveTorque v-else ref="chart" :shown="shownSetup" :current="current" />
        <dl class="others d-grid gr-0 gc-4 mt-3">
          <div v-for="channel in others" :key="channel.name">
            <dt>{{ channel.label }}</dt>
            <dd>
              {{ channelFigure(channel.name, values[channel.name]) }}
              <small>{{ channel.unit === '1' ? '' : channel.unit }}</small>
            </dd>
          </div>
        </dl>
        <NotesPanel
          ref="notes"
          :programme="id"
          :session="session.id"
          :pull="current ?? (last?.session_id === session.id ? last : null)"
          :may-operate="mayOperate"
        />
        <WindowsPanel :programme="id" :may-operate="mayOperate" />
        <LimitsPanel :stand="session.stand.id" :setup="shownSetup.id" />
      </section>
    </template>
    <ExcludeDialog v-if="excluding && unjudged" :pull="unjudged" @done="excluding = false" />
  </div>
</template>

<style scoped>
.stand {
  grid-template-columns: minmax(400px, 440px) minmax(0, 1fr);
}
.headline.hand {
  background: var(--hand);
  color: var(--on-hand);
}
.headline strong {
  display: block;
  font-size: 20px;
  font-weight: 400;
}
.stopped {
  background: var(--stop);
  color: var(--ground);
}
.judge kbd,
.under kbd {
  margin-left: 8px;
}
.alarm {
  margin: 0;
  padding: 14px 16px;
  background: var(--hand);
  color: var(--on-hand);
  font-size: 26px;
  font-weight: 700;
}
.abort {
  min-height: 48px;
}
.choose button {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  padding: 6px 10px;
  border: 1px solid var(--line);
}
.choose button[aria-pressed='true'] {
  border-color: var(--ink);
}
.hints {
  line-height: 1.6;
}
.others {
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
}
.others div {
  border-top: 1px solid var(--line);
  padding: 4px 0;
}
.others dt {
  color: var(--quiet);
  font-size: 11px;
}
.others dd {
  margin: 0;
  font-size: 16px;
}
.others small {
  font-size: 11px;
  color: var(--quiet);
}
@media (max-width: 900px) {
  .stand {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
