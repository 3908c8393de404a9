<script setup lang="ts">
/** Read from two metres: what comes next, large figures, window tapes, live torque, hold to start, one key to abort. */
import { computed, ref, useTemplateRef } from 'vue'

import { useMe, useObservedCurve, useStandNow } from '../api/queries'
import ExcludeDialog from '../components/ExcludeDialog.vue'
import ProblemNote from '../components/ProblemNote.vue'
import { channelFigure } from '../figures'
import { useKeys } from '../keys'
import HoldButton from '../live/HoldButton.vue'
import LiveChart, { type Earlier } from '../live/LiveChart.vue'
import { useLive } from '../live/useLive'
import { usePullFlow } from '../live/usePullFlow'
import WindowTape from '../live/WindowTape.vue'
import SetupMark from '../setups/SetupMark.vue'
import StandCautions from './StandCautions.vue'
import { useFrame } from './frame'

const frameOfProgramme = useFrame()
const { programme, day, setup, mayOperate } = frameOfProgramme
const id = computed(() => programme.value.id)
const { data: stand, error: standError } = useStandNow(id)
const connected = computed(() => Boolean(stand.value?.connected))
const flow = usePullFlow(frameOfProgramme, connected)
const { session, current, last, unjudged, chosenSetup, nextSetup, shownSetup, mounted, override } = flow
const { open, close, arm, start, abort, keep } = flow
const { data: me } = useMe()
const chart = useTemplateRef<InstanceType<typeof LiveChart>>('chart')
const hold = useTemplateRef<InstanceType<typeof HoldButton>>('hold')

let pullShown: number | null = null
const { frame, streaming, refused } = useLive(
  id,
  () => session.value !== null,
  (fresh) => {
    if (fresh.pull !== null && fresh.pull !== pullShown) {
      pullShown = fresh.pull
      chart.value?.clear()
    }
    chart.value?.add(fresh.points, fresh.n)
  },
)

// Earlier curves to lay under the live one: the last kept pull of this setup, and the last of the baseline.
const keptOf = (setupId: number) =>
  day.value.pulls.findLast((pull) => pull.standing === 'accepted' && pull.setup_id === setupId) ?? null
const baseline = computed(() => programme.value.setups.find((known) => known.is_baseline)!)
const lastOfSetup = computed(() => keptOf(shownSetup.value.id))
const lastOfBaseline = computed(() => (shownSetup.value.is_baseline ? null : keptOf(baseline.value.id)))
const { data: setupCurve } = useObservedCurve(() => lastOfSetup.value?.id ?? null)
const { data: baselineCurve } = useObservedCurve(() => lastOfBaseline.value?.id ?? null)
const earlier = computed<Earlier[]>(() =>
  [lastOfSetup.value && setupCurve.value, lastOfBaseline.value && baselineCurve.value]
    .filter((curve) => curve !== null && curve !== undefined)
    .map((curve) => ({
      position: setup(curve.setup_id).position,
      label: `${setup(curve.setup_id).letter}, pull ${curve.number}`,
      speed_rpm: curve.speed_rpm,
      torque: curve.torque,
      strong: curve.setup_id === shownSetup.value.id,
    })),
)

const gates = computed(() =>
  (stand.value?.gates ?? []).map((gate) => ({
    gate,
    value: frame.value ? (frame.value.values[gate.channel] ?? null) : (gate.value ?? null),
    side: frame.value ? (frame.value.sides[gate.channel] ?? 'silent') : gate.side,
  })),
)
const held = computed(() => gates.value.filter((tape) => tape.side !== 'inside'))
const running = computed(() => current.value?.state === 'running')
const armed = computed(() => current.value?.state === 'armed')
const faulty = computed(() =>
  (frame.value?.faulty ?? stand.value?.faulty ?? []).map((name) => name.replaceAll('_', ' ')),
)
const unit = (channel: string) => stand.value?.channels.find((known) => known.name === channel)?.unit ?? ''
/** Channels that have no place of their own above. */
const others = computed(() => {
  const shown = ['rpm', 'torque', 'lambda', ...gates.value.map((tape) => tape.gate.channel)]
  return (stand.value?.channels ?? []).filter((channel) => !shown.includes(channel.name))
})
const value = (channel: string) => (frame.value ? frame.value.values[channel] : stand.value?.values[channel])

const overriding = ref(false)
const excluding = ref(false)
const problem = computed(() => flow.problem.value ?? (refused.value ? new Error(refused.value) : null))
const mayStart = computed(() => armed.value && (!held.value.length || override.value.trim().length > 0))

function armNext() {
  if (!mayOperate.value) return
  overriding.value = false
  flow.armNext()
}
function startHeld() {
  if (current.value && mayStart.value) start.mutate(current.value.id)
}
function abortNow() {
  if (current.value && mayOperate.value) abort.mutate(current.value.id)
}
useKeys([
  {
    key: 'code:Space',
    label: 'Space',
    does: 'Hold to start the armed pull',
    press: () => hold.value?.press(),
    release: () => hold.value?.release(),
  },
  { key: 'Escape', label: 'Esc', does: 'Abort the pull', press: abortNow },
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
  if (armed.value) return `Pull ${current.value!.number}: ${name}, armed`
  if (unjudged.value) return `Pull ${unjudged.value.number}: ${name}. Keep it?`
  return `Next: ${name}`
})
const sweep = computed(
  () =>
    `sweep ${programme.value.sweep_start_rpm}–${programme.value.sweep_end_rpm} at ${programme.value.sweep_rate_rpm_s} rpm/s`,
)
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
  if (running.value) return 'Pull runs'
  if (!armed.value) return 'Not armed'
  if (held.value.length && !override.value.trim())
    return `Holding for ${held.value.map((tape) => tape.gate.name.toLowerCase()).join(', ')}`
  return 'Hold to start'
})
</script>

<template>
  <div class="stand">
    <div v-if="!session" class="closed">
      <h1>No session is open</h1>
      <StandCautions />
      <template v-if="mayOperate">
        <v-btn
          v-for="known in day.stands"
          :key="known.id"
          class="hand"
          :disabled="open.isPending.value"
          @click="open.mutate(known.id)"
        >
          Cautions read: open a session on {{ known.name }}
        </v-btn>
        <p v-if="!day.stands.length" class="text">No stand is described yet.</p>
      </template>
      <p v-else class="text">You may read here. An operator opens the session.</p>
      <ProblemNote :error="open.error.value" />
    </div>
    <template v-else>
      <section class="left">
        <div class="headline" :class="{ hand: !running }" data-test="headline">
          <SetupMark :position="shownSetup.position" :size="34" />
          <div>
            <strong>{{ headline }}</strong>
            <span>{{ lead }}</span>
          </div>
        </div>
        <p v-if="!connected" class="lost" role="alert" data-test="stand-lost">
          {{ session.stand.name }} is not linked: {{ stand?.why ?? standError?.message ?? 'asking…' }} It is
          tried again every second.
        </p>
        <p v-else-if="!streaming" class="lost" role="alert">
          The live picture is interrupted; pulls are still recorded.
        </p>
        <div class="numerals">
          <div v-for="channel in ['rpm', 'torque', 'lambda']" :key="channel">
            <b :data-channel="channel">{{ channelFigure(channel, value(channel)) }}</b>
            <span>{{ channel === 'torque' ? unit(channel) : channel }}</span>
          </div>
        </div>
        <WindowTape v-for="tape in gates" :key="tape.gate.channel" v-bind="tape" />
        <p v-if="faulty.length" class="faulty" role="status" data-test="faulty">
          Nothing usable from: {{ faulty.join(', ') }}
        </p>
        <template v-if="mayOperate">
          <div v-if="unjudged" class="judge">
            <v-btn class="hand" size="large" @click="keep.mutate(unjudged.id)">Keep <kbd>K</kbd></v-btn>
            <v-btn size="large" @click="excluding = true">Leave out <kbd>X</kbd></v-btn>
            <v-btn size="large" :disabled="!connected" @click="armNext">Pull again <kbd>A</kbd></v-btn>
          </div>
          <template v-else-if="!current">
            <div class="choose" role="group" aria-label="Setup to pull next">
              <button
                v-for="known in programme.setups"
                :key="known.id"
                type="button"
                :aria-pressed="known.id === nextSetup"
                @click="chosenSetup = known.id"
              >
                <SetupMark :position="known.position" /> {{ known.name }}
              </button>
            </div>
            <v-btn
              block
              size="x-large"
              class="hand"
              :disabled="!connected || arm.isPending.value"
              @click="armNext"
            >
              It is bolted on: arm pull {{ (last?.number ?? 0) + 1 }} <kbd class="ml-3">A</kbd>
            </v-btn>
          </template>
          <template v-else>
            <HoldButton ref="hold" :disabled="!mayStart" @held="startHeld">{{ holdLabel }}</HoldButton>
            <div class="under">
              <v-btn v-if="armed && held.length && !overriding" @click="overriding = true"
                >Start all the same…</v-btn
              >
              <v-text-field
                v-if="overriding && armed"
                v-model="override"
                label="Why start outside a window?"
                autofocus
              />
              <v-btn class="abort" @click="abortNow">Abort <kbd>Esc</kbd></v-btn>
            </div>
          </template>
        </template>
        <ProblemNote :error="problem" />
        <p class="hints quiet">
          Hold <kbd>Space</kbd> to start · <kbd>Esc</kbd> aborts · <kbd>?</kbd> lists the keys. Esc asks the
          stand to stop; the wired emergency stop is the stand's own.
        </p>
        <v-btn
          v-if="mayOperate && !current"
          class="close"
          size="small"
          :disabled="close.isPending.value"
          @click="close.mutate(session.id)"
        >
          Close the session
        </v-btn>
      </section>
      <section class="right">
        <h2>
          Torque, {{ me?.units.torque }}, observed, inertia added where the stand leaves it out.
          <template v-if="earlier.length"
            >Last kept: {{ earlier.map((curve) => curve.label).join('; ') }}</template
          >
          <template v-else>No kept pull of {{ shownSetup.letter }} yet</template>
        </h2>
        <LiveChart
          ref="chart"
          class="chart"
          :earlier="earlier"
          :position="shownSetup.position"
          :unit="me?.units.torque ?? ''"
          :low-rpm="programme.sweep_start_rpm"
          :high-rpm="programme.sweep_end_rpm"
        />
        <dl class="others">
          <div v-for="channel in others" :key="channel.name">
            <dt>{{ channel.label }}</dt>
            <dd>
              {{ channelFigure(channel.name, value(channel.name)) }} <small>{{ channel.unit }}</small>
            </dd>
          </div>
        </dl>
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
  padding: 14px 18px;
}
.closed {
  max-width: 640px;
  display: grid;
  gap: 14px;
  justify-items: start;
  grid-column: 1 / -1;
}
.closed h1 {
  font-size: 22px;
}
.headline {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 12px 14px;
  border: 1px solid var(--line);
}
.headline > svg {
  flex: none;
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
.numerals {
  display: grid;
  grid-template-columns: 1.25fr 1fr 1fr;
  gap: 10px;
  padding: 10px 0 8px;
}
.numerals b {
  display: block;
  font-size: 56px;
  line-height: 1.05;
  font-variant-numeric: tabular-nums;
}
.numerals span {
  color: var(--quiet);
}
.lost,
.faulty {
  border-left: 4px solid var(--hand);
  background: var(--panel);
  padding: 8px 12px;
  margin: 10px 0;
  font-family: var(--text);
  font-size: 16px;
}
.judge,
.under {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-top: 12px;
  align-items: center;
}
.judge kbd,
.under kbd {
  margin-left: 8px;
}
.abort {
  margin-left: auto;
}
.choose {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding: 12px 0;
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
  font-family: var(--text);
  font-size: 14px;
  line-height: 1.6;
  margin: 12px 0;
}
.right {
  display: flex;
  flex-direction: column;
  min-width: 0;
}
.chart {
  height: calc(100vh - 250px);
}
.others {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 0 18px;
  margin-top: 12px;
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
  .chart {
    height: 320px;
  }
  .numerals b {
    font-size: 44px;
  }
}
</style>
