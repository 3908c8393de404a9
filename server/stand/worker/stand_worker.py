"""The bench worker: holds the line to one stand, watches over its pulls, records them, and lets browsers see them.

This side knows the stand and no database: what must be written goes to the desk, in its order.
"""

from __future__ import annotations

import logging
import math
import selectors
import time
from collections import deque
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np
from django.conf import settings
from django.utils import timezone
from torvix_core.pull.guard import Guard, Trip
from torvix_core.pull.sweeps import Event, SweepEdge, SweepFinder
from torvix_core.pull.trace import SPEED
from torvix_core.units import quantities

from shop.logs import LogContext
from shop.models import Stand
from stand.limits import service as limits
from stand.models import PullState
from stand.pulls.raw_channels import is_known
from stand.weather import service as weather
from stand.worker.database_side import DatabaseSide, QueuedCommand
from stand.worker.entries import (
    BrowserMessage,
    CommandAnswered,
    LinkState,
    PullBegan,
    PullEnded,
    PullGuarded,
    UnaskedSweep,
    WeatherReported,
)
from stand.worker.line import (
    Hello,
    Line,
    LineLost,
    LineNotUnderstood,
    LineWeather,
    Message,
    Reply,
    Samples,
    StateChange,
)
from stand.worker.live_state import LiveState
from stand.worker.pull_records import HelloFacts, MeanAir
from stand.worker.recording import Recording
from stand.worker.stop import ID, LATE_S, MOVING, WIRED, Stop
from stand.worker.stop_socket import StopSocket, path_of

log = logging.getLogger("torvix.bench")

CHUNK_S = 0.2  # between hand-overs of samples while a pull runs; they are committed at once
FRAME_S = 0.04  # between frames to browsers while a pull is made
CALM_FRAME_S = 0.2  # and while none is: figures that change faster cannot be read
SILENT_S = 3.0  # without a word the stand counts as lost
AWAY_S = 1.0  # between two turns: the worker itself did not listen, so silence says nothing of the stand
RECONNECT_S, RECONNECT_MOST_S = 1.0, 10.0  # to a stand that is not there: at first, and in the end
ANSWER_S = 4.0  # for a command
BEATS = 5  # heartbeats within the time after which a stand stops by itself
BEFORE_S = 3.0  # kept while armed, for a sweep that is found only once it runs


class StandWorker:
    """Runs until `stopping` is set. `clock` tells the time that records bear.

    `run` puts the desk into a thread; who calls `turn` by hand has both work in turns, and calls `close` at the end.
    """

    def __init__(self, stand: Stand, clock: Callable[[], datetime] = timezone.now, spool: Path | None = None) -> None:
        self.stand = stand
        self.clock = clock
        self.stopping = self.closed = False
        self.desk = DatabaseSide(stand, clock, spool or settings.BENCH_SPOOL)
        self.line: Line | None = None
        self.hello: Hello | None = None
        self.picture: LiveState | None = None
        self.state = ""  # of the stand; where it does not tell, as far as Torvix knows it
        self.recording: Recording | None = None
        self.armed: int | None = None  # the pull that the next sweep is
        self.aborting = False
        self.guard: Guard | None = None  # of the pull that is armed or runs
        self.trip: Trip | None = None
        self.stopped = False  # the stand was told to stop for it
        self.unseen = 0  # of how many limits that cannot be watched people were warned
        self.finder: SweepFinder | None = None
        self.before: deque[Samples] = deque()
        self.air: list[MeanAir] = []
        self.weather_at: datetime | None = None  # when the log wants the next reading
        self.stand_s = 0.0  # the stand's own time of its last sample
        self.stopped_at: datetime | None = None  # when the engine last came to a standstill
        self.waiting: dict[int, tuple[QueuedCommand, float]] = {}
        self.stop = Stop(self._tell_to_stop)
        self.later: list[QueuedCommand] = []  # aborts that came before the stand was linked
        self.alarm = ""  # what people have to know at once: the stand does not stop
        self.unanswered = False  # an arming was not answered in time, so the stand may still arm
        self.stop_path: Path | None = path_of(spool or settings.BENCH_SPOOL, stand.pk)
        self.stop_socket: StopSocket | None = None
        self.beat_at = 0.0
        self.connect_at = self.frame_at = self.heard_at = self.listened_at = 0.0
        self.pause_s = RECONNECT_S

    # The loop

    def run(self) -> None:
        """Until told to stop. StandTaken if another worker has the stand."""
        try:
            self.desk.start(lambda: self.stopping)
            while not self.stopping:
                self.turn(0.05)
        finally:
            self.close()

    def turn(self, wait: float) -> None:
        """One round: hear the stand, pass on what browsers ask, watch, record."""
        self._connect()
        with selectors.DefaultSelector() as selector:
            selector.register(self.desk.heard, selectors.EVENT_READ)
            if self.stop_socket:
                selector.register(self.stop_socket, selectors.EVENT_READ)
            if self.line:
                selector.register(self.line, selectors.EVENT_READ)
            selector.select(wait)
        self.desk.heard.clear()
        self.desk.check()
        self._beat()
        self._hear_stop_socket()
        self._hear_stand()
        while not self.desk.asked.empty():
            self._pass_on(self.desk.asked.get())
        self._expire_commands()
        self._follow_stop()
        if self.recording and time.monotonic() - self.recording.flushed_at >= CHUNK_S:
            self._flush_chunk()
        self._note_link()
        if not self.desk.is_threaded:
            self.desk.turn(0.0)

    def close(self) -> None:
        """End what runs, write what waits, give the stand back. A second time it does nothing."""
        if self.closed:
            return
        self.closed = True
        if self.state in MOVING:
            self._tell_to_stop()  # nobody watches from now on
        self._lose("the bench worker was stopped")
        if self.stop_socket:
            self.stop_socket.close()
        self.desk.close()

    # The line

    def _connect(self) -> None:
        if self.line or not self.desk.held or time.monotonic() < self.connect_at:
            return
        self.connect_at = time.monotonic() + self.pause_s
        self.pause_s = min(2 * self.pause_s, RECONNECT_MOST_S)
        try:
            self.line = Line.connect(self.stand.host, self.stand.port)
            self.heard_at, self.pause_s = time.monotonic(), RECONNECT_S
        except LineLost as lost:
            self._note_lost(str(lost))

    def _hear_stand(self) -> None:
        if not self.line:
            return
        now = time.monotonic()
        if now - self.listened_at > AWAY_S:
            self.heard_at = now
        self.listened_at = now
        try:
            for message in self.line.read():
                self.heard_at = time.monotonic()
                self._take(message)
            if time.monotonic() - self.heard_at > SILENT_S:
                raise LineLost(f"the stand said nothing for {SILENT_S:.0f} s")
        except LineLost as lost:
            self._lose(str(lost))

    def _send(self, identity: int, name: str, arguments: dict[str, Any]) -> None:
        if self.line is None:
            return
        try:
            self.line.send(identity, name, arguments)
        except LineLost as lost:
            self._lose(str(lost))

    # Stopping

    def _tell_to_stop(self) -> None:
        if self.hello is not None and "abort" in self.hello.can:
            self._send(ID, "abort", {})

    def _follow_stop(self) -> None:
        """Also where the line is gone: then nobody but the stand itself, and the wired stop, can end it."""
        if self.hello is None:
            unheard = bool(self.later) and "The stand is not linked, so no stop can reach it. " + WIRED
            self._sound(unheard or self.alarm)
            return
        while self.later and (self.state or not self.hello.states):
            self._pass_on(self.later.pop(0))
        self._sound(self.stop.follow(time.monotonic(), self.state, tells_states=self.hello.states))

    def _sound(self, alarm: str) -> None:
        before, self.alarm = self.alarm, alarm
        if bool(before) != bool(alarm):
            log.error("%s: %s", self.stand, alarm or "the stand has stopped")
            self._tell("not_stopped", why=alarm)
            self.desk.write_link()

    def _hear_stop_socket(self) -> None:
        """The database need not be there for it. Opened once the stand is ours: it replaces that of a dead worker."""
        if self.stop_socket is None:
            if self.desk.held and not self.closed and self.stop_path is not None:
                try:
                    self.stop_socket = StopSocket(self.stop_path)
                except OSError as error:
                    log.error("no stop past the database, by %s: %s", self.stop_path, error)
                    self.stop_path = None
            return
        for asking in self.stop_socket.asked():
            self.aborting = self.aborting or self.state == "sweeping"
            self.stop.demand(time.monotonic())
            if self.line is not None:
                self.stop_socket.answer(asking)
            else:
                asking.close()

    def _beat(self) -> None:
        now = time.monotonic()
        if self.line is None or self.hello is None or not self.hello.watchdog_s or now < self.beat_at:
            return
        self.beat_at = now + self.hello.watchdog_s / BEATS
        try:
            self.line.beat()
        except LineLost as lost:
            self._lose(str(lost))

    def _lose(self, why: str) -> None:
        if self.line and self.state in MOVING:
            self._sound(f"The line broke while the stand was {self.state}: no stop can reach it. {WIRED}")
        if self.recording:
            at = "" if math.isnan(self.recording.last_rpm) else f" at {self.recording.last_rpm:.0f} rpm"
            self._end_recording(PullState.INCOMPLETE, f"{why[:1].upper()}{why[1:]}{at}.")
        elif self.armed is not None:
            self._disarm(f"{why[:1].upper()}{why[1:]}.")
        for asked, _ in list(self.waiting.values()):
            self._answer(asked, False, why)
        if self.line:
            self.line.close()
        self.line, self.hello, self.picture, self.state = None, None, None, ""
        self._note_lost(why)

    def _note_lost(self, why: str) -> None:
        self.desk.link = None
        fields = {"connected": False, "why": why, "state": "", "alarm": self.alarm,
                  "unsaved": self.desk.journal.unsaved()}  # fmt: skip
        self.desk.post(LinkState(self.stand.pk, self.clock(), fields))
        self._tell("link", connected=False, why=why)

    def _tell(self, kind: str, **fields: Any) -> None:
        self.desk.post(BrowserMessage({"stand": self.stand.pk, "type": kind, **fields}))

    # What the stand says

    def _take(self, message: Message) -> None:
        match message:
            case Samples():
                self._take_samples(message)
            case StateChange(state):
                self._take_state(state)
            case LineWeather(values):
                self._take_weather(values)
            case Reply():
                self._take_reply(message)
            case Hello():
                self._take_hello(message)
            case LineNotUnderstood(why):
                log.warning("passed over a line of %s: %s", self.stand, why)

    def _take_hello(self, hello: Hello) -> None:
        if not hello.inertia and self.stand.inertia:
            hello = replace(hello, inertia=self.stand.inertia)  # the stand does not know, the owner does
        self.hello, self.picture = hello, LiveState(hello)
        self.state = "" if hello.states else "idle"
        told = {
            "stand": hello.stand, "rate_hz": hello.rate_hz, "can": sorted(hello.can), "simulated": hello.simulated,
            "channels": [list(pair) for pair in zip(hello.names, hello.units, strict=True)],
            "inertia_in_torque": hello.inertia_in_torque, "states": hello.states,
        }  # fmt: skip
        self.desk.post(LinkState(self.stand.pk, self.clock(), {"connected": True, "why": "", "hello": told}))
        self._tell("link", connected=True, why="")

    def _take_state(self, state: str) -> None:
        if self.hello is not None and not self.hello.states:
            return
        before, self.state = self.state, state
        self.frame_at = 0.0  # seen at once
        given_up = self.unanswered and self.stop.is_demanded
        if state in MOVING and self.armed is None and not self.recording and (not before or given_up):
            # Found so by a new worker or line, or begun after its arming was given up: nobody watches over it.
            log.warning("%s: found %s, told to stop", self.stand, state)
            self.stop.demand(time.monotonic())
        if state == "sweeping":
            if self.armed is not None:
                self._begin_recording(self.armed)
            elif before and not self.recording:
                self._note_unasked()
        elif self.recording and before in ("sweeping", "rolling_off") and state == "idle":
            self._end_sweep()
        elif self.armed is not None and state == "idle" and before in ("armed", "rolling_off"):
            self._disarm("Disarmed before it began.")
        self.desk.write_link()

    def _note_unasked(self) -> None:
        self.desk.post(UnaskedSweep(self.stand.pk, self.clock()))
        self._tell("unasked")

    def _take_samples(self, samples: Samples) -> None:
        if self.picture is None:
            return
        sweeping = self.state == "sweeping"
        if self.recording:
            self.recording.add(samples)
        if self.picture.take(samples.times, samples.rows, sweeping=sweeping):
            self.stopped_at = self.clock()
        if self.guard and not self.trip:
            trip = self.guard.watch(self.picture.raw)
            self._tell_unseen(self.guard)
            if trip:
                self._stop(trip)
            if self.line is None:
                return  # it broke while the stand was told
        self.stand_s = float(samples.times[-1])
        if self.finder:
            self._find_sweep(samples)
        if self.recording:
            self.recording.last_rpm = self.picture.values.get(SPEED, math.nan)
        if self.desk.idle and time.monotonic() >= self.frame_at:
            self._show(samples.first + len(samples.times) - 1)

    def _find_sweep(self, samples: Samples) -> None:
        """A stand that tells no states: the sweep is found in what it sends."""
        assert self.finder is not None  # asked for by the caller
        assert self.picture is not None
        if not self.recording:
            self.before.append(samples)
            while self.before and self.before[0].times[-1] < samples.times[-1] - BEFORE_S:
                self.before.popleft()
        match self.finder.follow(samples.times, self.picture.block):
            case SweepEdge(Event.BEGAN, at) if self.armed is not None:
                self.state = "sweeping"
                self._begin_recording(self.armed)
                assert self.recording is not None
                for block in self.before:
                    inside = block.times >= at
                    if inside.any():
                        skip = int(np.argmax(inside))
                        self.recording.add(Samples(block.first + skip, block.times[skip:], block.rows[skip:]))
                self.before.clear()
            case SweepEdge(Event.ENDED):
                self.state = "idle"
                self._end_sweep()

    def _stop(self, trip: Trip) -> None:
        """A limit was crossed: the stand is told before anything is written. What only reports is stopped by hand."""
        self.trip = trip
        self.stopped = self.hello is not None and "abort" in self.hello.can
        if self.stopped:
            self.stop.demand(time.monotonic())
        why = limits.trip_text(trip, stopped=self.stopped)
        log.warning("%s: %s", self.stand, why)
        self._tell("trip", key=trip.limit.key, why=why, stopped=self.stopped)

    def _tell_unseen(self, guard: Guard) -> None:
        """Limits that cannot be watched, where the owner wants a warning and the pull to go on."""
        if len(guard.warned) > self.unseen:
            self.unseen = len(guard.warned)
            why = " ".join(limits.trip_text(trip, stopped=False) for trip in guard.warned)
            log.warning("%s: %s", self.stand, why)
            self._tell("unseen", why=why)

    # The pull

    def _begin_recording(self, pull: int) -> None:
        assert self.hello is not None  # a stand that has not said hello has no state
        assert self.picture is not None
        hello = self.hello
        self.armed, self.aborting = None, False
        self.recording, LogContext.pull = Recording(pull), str(pull)
        self.air = self.air[-1:]
        facts = HelloFacts(hello.rate_hz, hello.names, hello.units, hello.inertia_in_torque, hello.inertia,
                           hello.simulated)  # fmt: skip
        self.desk.post(PullBegan(pull, self.clock(), facts, self.picture.rounded()))

    def _flush_chunk(self) -> None:
        if self.recording and (chunk := self.recording.chunk()):
            self.desk.post(chunk)

    def _end_sweep(self) -> None:
        if self.trip and self.stopped:
            self._end_recording(PullState.ABORTED, limits.trip_text(self.trip))
        elif self.aborting:
            self._end_recording(PullState.ABORTED, "Aborted by the operator.")
        elif self.finder and not self.finder.covers():
            told = f"Broken off at {self.finder.high_rpm:.0f} of {self.finder.end_rpm:.0f} rpm."
            self._end_recording(PullState.ABORTED, told)
        else:
            known = [*(self.guard.warned if self.guard else ()), *([self.trip] if self.trip else ())]
            self._end_recording(PullState.COMPLETE, " ".join(limits.trip_text(trip, stopped=False) for trip in known))

    def _end_recording(self, state: PullState, why: str) -> None:
        self._flush_chunk()
        recording, self.recording, LogContext.pull = self.recording, None, "-"
        if recording is None:
            return
        key = self.trip.limit.key if self.trip else ""
        self.guard, self.finder = None, None
        self.desk.post(PullEnded(recording.pull, state, why, self.clock(), recording.lost, self._mean_air(), key))

    def _disarm(self, why: str) -> None:
        """The armed pull will not be made."""
        pull, self.armed = self.armed, None
        self.guard, self.finder = None, None
        if pull is not None:
            key = self.trip.limit.key if self.trip else ""
            reason = limits.trip_text(self.trip) if self.trip else why
            self.desk.post(PullEnded(pull, PullState.ABORTED, reason, self.clock(), tripped=key))

    # The air

    def _mean_air(self) -> MeanAir | None:
        if not self.air:
            return None
        table = np.array([(air.barometer, air.temperature, air.relative_humidity) for air in self.air])
        return MeanAir(*table.mean(axis=0).tolist())

    def _take_weather(self, values: list[float]) -> None:
        if self.hello is None or len(values) != len(self.hello.weather):
            return
        read = {
            name: float(quantities.to_si(value, unit))
            for (name, unit), value in zip(self.hello.weather, values, strict=True)
            if is_known(unit)
        }
        try:
            air = MeanAir(read["barometer"], read["temperature"], read["humidity"])
        except KeyError:
            return
        # A weather sensor that sends nonsense must not spoil the mean; without air a pull stays uncorrected.
        if not math.isfinite(air.barometer + air.temperature + air.relative_humidity):
            return
        self.air.append(air)
        if not self.recording:
            self.air = self.air[-1:]
        now = self.clock()
        if self.weather_at is None or now >= self.weather_at:
            self.weather_at = now + weather.LOG_EVERY
            self.desk.post(WeatherReported(self.stand.pk, now, air))

    # What browsers see

    def _show(self, number: int) -> None:
        assert self.picture is not None  # only called for samples, which need a hello
        self.frame_at = time.monotonic() + (FRAME_S if self.recording else CALM_FRAME_S)
        pull = self.recording.pull if self.recording else None
        self.desk.show(self.picture.frame(number, self.stand.pk, self.state, pull))

    def write_link(self) -> None:
        """Have the link written now, whenever the last time was."""
        self._note_link()
        self.desk.write_link()

    def _note_link(self) -> None:
        if self.picture is None:
            return
        fields: dict[str, Any] = {
            "connected": True, "why": self.desk.journal.trouble, "state": self.state, "alarm": self.alarm,
            "unsaved": self.desk.journal.unsaved(), "values": self.picture.rounded(), "faulty": self.picture.faulty,
            "steps": self.picture.steps_taken(),
        }  # fmt: skip
        if self.stopped_at is not None:
            fields["stopped_at"] = self.stopped_at
        if self.air:
            last = self.air[-1]
            fields["weather"] = {
                "barometer": last.barometer, "temperature": last.temperature,
                "relative_humidity": last.relative_humidity,
            }  # fmt: skip
        self.desk.link = fields

    # What browsers ask

    def _pass_on(self, asked: QueuedCommand) -> None:
        if self.line is None or self.hello is None:
            if asked.name == "abort":
                self.later.append(asked)  # it waits for the stand, and goes first
            else:
                self._answer(asked, False, "the stand is not linked")
            return
        self.waiting[asked.command] = (asked, time.monotonic() + ANSWER_S)
        if asked.name == "arm":
            self._arm(asked, self.hello)
        elif asked.name in self.hello.can:
            if asked.name == "abort":
                # Too late to abort: a sweep that has reached its end is complete. The same stop may come by two ways.
                self.aborting = self.aborting or self.state == "sweeping"
                self.stop.demand(time.monotonic())
            self._send(asked.command, asked.name, asked.arguments)
        elif asked.name == "abort" and self.armed is not None and not self.recording:
            self._disarm("Disarmed before it began.")
            self.state = "idle"
            self._answer(asked, True, "")
        elif asked.name in ("start", "abort"):
            self._answer(asked, False, f"this stand takes no commands: {asked.name} it at its console")
        else:
            self._answer(asked, False, f"this stand does not take the command {asked.name!r}")

    def _arm(self, asked: QueuedCommand, hello: Hello) -> None:
        arguments = dict(asked.arguments)
        fitted = arguments.pop("fit", None)
        if fitted is not None and "fit" in hello.can:
            # A simulated stand must be told what is bolted on; its refusal comes as the reply to arm, too.
            self._send(0, "fit", fitted)
        if "holds" not in hello.can and arguments.pop("holds", None):
            self._answer(asked, False, "this stand cannot hold speeds: a step test is run at its console")
            return
        self.armed, self.trip, self.stopped, self.unanswered = asked.pull, None, False, False
        self.guard = Guard(asked.limits, hello.rate_hz, climbing=not arguments.get("holds"))
        self.unseen = 0
        self.finder = None
        if asked.pull is not None:
            self.desk.post(PullGuarded(asked.pull, [[limit.key, limit.value] for limit in asked.limits]))
        if not hello.states:
            self.finder = SweepFinder(arguments["start_rpm"], arguments["end_rpm"], arguments["rate_rpm_s"])
            self.before.clear()
        if "arm" in hello.can:
            self._send(asked.command, "arm", arguments)
        else:
            self.state = self.state if hello.states else "armed"
            self._answer(asked, True, "")

    def _take_reply(self, reply: Reply) -> None:
        if reply.id == ID:
            self.stop.replied(reply.ok, reply.why)
        if reply.id in self.waiting:
            self._answer(self.waiting[reply.id][0], reply.ok, reply.why)

    def _expire_commands(self) -> None:
        now = time.monotonic()
        for asked, until in list(self.waiting.values()):
            if now > until:
                if asked.name == "arm":
                    self.unanswered = True
                    self.stop.demand(now, watch_s=LATE_S)
                self._answer(asked, False, "the stand did not answer", keep_guard=asked.name == "arm")

    def _answer(self, asked: QueuedCommand, ok: bool, why: str, *, keep_guard: bool = False) -> None:
        """`keep_guard`: a stand that did not answer an arming may have armed, so it is watched all the same."""
        self.waiting.pop(asked.command, None)
        if not ok and asked.name == "arm" and self.armed == asked.pull:
            self.armed, self.finder = None, None
            if not keep_guard:
                self.guard = None
        self.desk.post(CommandAnswered(asked.command, ok, why))
