"""The bench worker: holds the line to one stand, records its pulls, and lets browsers see them.

One thread waits for the stand and for what browsers ask. Everything that must be written goes through one queue in
its order: when the database is away the queue grows and is written once it is back, so a pull is not lost with it.
"""

from __future__ import annotations

import logging
import math
import selectors
import time
from collections import deque
from collections.abc import Callable
from datetime import datetime
from typing import Any

import numpy as np
import psycopg
from django.db import InterfaceError, OperationalError, connection
from django.utils import timezone
from torvix_core import quantities
from torvix_core.trace import SPEED

from shop.models import Stand
from stand import live, services, weather
from stand.line import Hello, Line, LineLost, Message, NotUnderstood, Reply, Samples, StateChange, WeatherReading
from stand.models import Command, CommandState, Link, Pull, PullState
from stand.picture import Picture
from stand.samples import append_chunk, is_known

log = logging.getLogger("torvix.bench")

CHUNK_S = 0.25  # between commits of samples while a pull runs
FRAME_S = 0.04  # between frames to browsers
LINK_S = 1.0  # between writings of what the link knows
SILENT_S = 3.0  # without a word the stand counts as lost
RECONNECT_S = 1.0
ANSWER_S = 4.0  # for a command
DATABASE_RETRY_S = 1.0
DATABASE_LOST = (OperationalError, InterfaceError, psycopg.OperationalError)


class Recording:
    """The pull that runs: its samples not yet written, and how many the stand's numbers say are missing."""

    def __init__(self, pull: Pull) -> None:
        self.pull = pull
        self.rows: list[list[float]] = []
        self.sequence = 0
        self.next_number: int | None = None
        self.lost = 0
        self.flushed_at = time.monotonic()
        self.last_rpm = math.nan

    def add(self, number: int, at: float, row: list[float]) -> None:
        if self.next_number is not None and number > self.next_number:
            self.lost += number - self.next_number
        self.next_number = number + 1
        self.rows.append([at, *row])


class Bench:
    """Runs until `stopping` is set. `clock` tells the time that records bear."""

    def __init__(self, stand: Stand, clock: Callable[[], datetime] = timezone.now) -> None:
        self.stand = stand
        self.clock = clock
        self.stopping = False
        self.line: Line | None = None
        self.hello: Hello | None = None
        self.picture: Picture | None = None
        self.state = ""
        self.recording: Recording | None = None
        self.armed: Pull | None = None
        self.aborting = False
        self.air: list[services.MeanAir] = []
        self.weather_at: datetime | None = None  # when the log wants the next reading
        self.stand_s = 0.0  # the stand's own time of its last sample
        self.waiting: dict[int, tuple[Command, float]] = {}
        self.writes: deque[Callable[[], None]] = deque()
        self.write_again_at = 0.0
        self.connect_at = self.frame_at = self.link_at = self.heard_at = 0.0
        self.listening: psycopg.Connection[Any] | None = None
        self.commands_due = True

    # The loop

    def run(self) -> None:
        self.write(lambda: self._recover())
        while not self.stopping:
            self.turn(0.02)
        self._lose("the bench worker was stopped")
        self.flush_writes()
        if self.listening:
            self.listening.close()

    def turn(self, wait: float) -> None:
        """One round: hear the stand, hear the browsers, write, show."""
        self._connect()
        self._listen()
        with selectors.DefaultSelector() as selector:
            if self.line:
                selector.register(self.line, selectors.EVENT_READ)
            if self.listening:
                selector.register(self.listening, selectors.EVENT_READ)
            selector.select(wait)
        self._hear_stand()
        self._hear_browsers()
        self._expire_commands()
        now = time.monotonic()
        if self.recording and self.recording.rows and now - self.recording.flushed_at >= CHUNK_S:
            self._flush_chunk()
        if now >= self.link_at:
            self.write_link()
        self.flush_writes()

    def write(self, action: Callable[[], None]) -> None:
        self.writes.append(action)

    def flush_writes(self) -> None:
        """Write what waits, in its order; keep the rest when the database is away."""
        if time.monotonic() < self.write_again_at:
            return
        while self.writes:
            try:
                self.writes[0]()
            except DATABASE_LOST as error:
                log.warning("database away, %d writes wait: %s", len(self.writes), error)
                connection.close()
                self.write_again_at = time.monotonic() + DATABASE_RETRY_S
                return
            self.writes.popleft()

    # The stand

    def _connect(self) -> None:
        if self.line or time.monotonic() < self.connect_at:
            return
        self.connect_at = time.monotonic() + RECONNECT_S
        try:
            self.line = Line.connect(self.stand.host, self.stand.port)
            self.heard_at = time.monotonic()
        except LineLost as lost:
            self._note_lost(str(lost))

    def _hear_stand(self) -> None:
        if not self.line:
            return
        try:
            for message in self.line.read():
                self.heard_at = time.monotonic()
                self._take(message)
            if time.monotonic() - self.heard_at > SILENT_S:
                raise LineLost(f"the stand said nothing for {SILENT_S:.0f} s")
        except LineLost as lost:
            self._lose(str(lost))

    def _lose(self, why: str) -> None:
        if self.recording:
            at = "" if math.isnan(self.recording.last_rpm) else f" at {self.recording.last_rpm:.0f} rpm"
            self._end_recording(PullState.INCOMPLETE, f"{why[:1].upper()}{why[1:]}{at}.")
        elif self.armed:
            pull, now = self.armed, self.clock()
            self.armed = None
            told = f"{why[:1].upper()}{why[1:]}."
            self.write(lambda: services.end_pull(pull, PullState.ABORTED, told, now))
        if self.line:
            self.line.close()
        self.line, self.hello, self.picture, self.state = None, None, None, ""
        self._note_lost(why)

    def _note_lost(self, why: str) -> None:
        self.write(lambda: self._save_link(connected=False, why=why, state=""))
        self.write(lambda: live.notify(live.FRAMES, {"stand": self.stand.pk, "type": "link", "connected": False,
                                                     "why": why}))  # fmt: skip

    def _take(self, message: Message) -> None:
        match message:
            case Samples():
                self._take_samples(message)
            case StateChange(state):
                self._take_state(state)
            case WeatherReading(values):
                self._take_weather(values)
            case Reply():
                self._take_reply(message)
            case Hello():
                self._take_hello(message)
            case NotUnderstood(why):
                log.warning("passed over a line of %s: %s", self.stand, why)

    def _take_hello(self, hello: Hello) -> None:
        self.hello = hello
        self.picture = Picture(hello)
        self.write(lambda: self._save_link(connected=True, why="", hello=self._hello_json(hello)))
        self.write(lambda: live.notify(live.FRAMES, {"stand": self.stand.pk, "type": "link", "connected": True,
                                                     "why": ""}))  # fmt: skip
        self.commands_due = True

    @staticmethod
    def _hello_json(hello: Hello) -> dict[str, Any]:
        return {
            "stand": hello.stand,
            "rate_hz": hello.rate_hz,
            "channels": [list(pair) for pair in zip(hello.names, hello.units, strict=True)],
            "can": sorted(hello.can),
            "simulated": hello.simulated,
            "inertia_in_torque": hello.inertia_in_torque,
        }

    def _take_state(self, state: str) -> None:
        before, self.state = self.state, state
        if state == "sweeping" and self.armed:
            self._begin_recording(self.armed)
        elif self.recording and before in ("sweeping", "rolling_off") and state == "idle":
            if self.aborting:
                self._end_recording(PullState.ABORTED, "Aborted by the operator.")
            else:
                self._end_recording(PullState.COMPLETE, "")
        elif self.armed and state == "idle" and before in ("armed", "rolling_off"):
            pull, now = self.armed, self.clock()
            self.armed = None
            self.write(lambda: services.end_pull(pull, PullState.ABORTED, "Disarmed before it began.", now))
        self.link_at = 0.0

    def _begin_recording(self, pull: Pull) -> None:
        assert self.hello is not None  # a stand that has not said hello has no state
        self.armed, self.aborting = None, False
        self.recording = Recording(pull)
        self.air = self.air[-1:]
        hello, now = self.hello, self.clock()
        facts = services.StandFacts(hello.rate_hz, hello.names, hello.units, hello.inertia_in_torque, hello.inertia)
        self.write(lambda: services.begin_pull(pull, facts, now))

    def _flush_chunk(self) -> None:
        recording = self.recording
        if recording is None or not recording.rows:
            return
        rows, sequence, pull_id = recording.rows, recording.sequence, recording.pull.pk
        recording.rows, recording.flushed_at = [], time.monotonic()
        recording.sequence += 1
        self.write(lambda: append_chunk(pull_id, sequence, rows))

    def _end_recording(self, state: PullState, why: str) -> None:
        self._flush_chunk()
        recording, self.recording = self.recording, None
        if recording is None:
            return
        now, air = self.clock(), self._mean_air()
        self.write(lambda: services.end_pull(recording.pull, state, why, now, lost=recording.lost, air=air))

    def _mean_air(self) -> services.MeanAir | None:
        if not self.air:
            return None
        table = np.array([(air.barometer, air.temperature, air.relative_humidity) for air in self.air])
        return services.MeanAir(*table.mean(axis=0).tolist())

    def _take_weather(self, values: list[float]) -> None:
        if self.hello is None or len(values) != len(self.hello.weather):
            return
        read = {
            name: float(quantities.to_si(value, unit))
            for (name, unit), value in zip(self.hello.weather, values, strict=True)
            if is_known(unit)
        }
        try:
            air = services.MeanAir(read["barometer"], read["temperature"], read["humidity"])
        except KeyError:
            return
        # A weather sensor that sends nonsense must not spoil the mean; without air a pull stays uncorrected.
        if math.isfinite(air.barometer + air.temperature + air.relative_humidity):
            self.air.append(air)
            if not self.recording:
                self.air = self.air[-1:]
            self._log_weather(air)

    def _log_weather(self, air: services.MeanAir) -> None:
        now = self.clock()
        if self.weather_at is None or now >= self.weather_at:
            self.weather_at = now + weather.LOG_EVERY
            self.write(
                lambda: weather.log_stand(self.stand, air.barometer, air.temperature, air.relative_humidity, now)
            )

    def _take_samples(self, samples: Samples) -> None:
        if self.picture is None:
            return
        recording, sweeping = self.recording, self.state == "sweeping"
        for offset, (at, row) in enumerate(zip(samples.times, samples.rows, strict=True)):
            if recording:
                recording.add(samples.first + offset, at, row)
            self.picture.add(at, row, sweeping=sweeping)
        self.stand_s = samples.times[-1] if samples.times else self.stand_s
        if recording:
            recording.last_rpm = self.picture.values.get(SPEED, math.nan)
        if time.monotonic() >= self.frame_at:
            self._show(samples.first + len(samples.rows) - 1)

    # What browsers see

    def _show(self, number: int) -> None:
        assert self.picture is not None  # only called for samples, which need a hello
        self.frame_at = time.monotonic() + FRAME_S
        pull = self.recording.pull.pk if self.recording else None
        frame = self.picture.frame(number, self.stand.pk, self.state, pull)
        try:
            live.notify(live.FRAMES, frame)
        except DATABASE_LOST:
            connection.close()  # a frame that nobody saw is not worth keeping

    def write_link(self) -> None:
        self.link_at = time.monotonic() + LINK_S
        if self.picture is None:
            return
        fields: dict[str, Any] = {
            "connected": True,
            "state": self.state,
            "values": self.picture.rounded(),
            "faulty": self.picture.faulty,
        }
        if self.air:
            last = self.air[-1]
            fields["weather"] = {
                "barometer": last.barometer,
                "temperature": last.temperature,
                "relative_humidity": last.relative_humidity,
            }
        if not self.writes:
            self.write(lambda: self._save_link(**fields))

    def _save_link(self, **fields: Any) -> None:
        Link.objects.update_or_create(stand=self.stand, defaults={**fields, "beat_at": self.clock()})

    # What browsers ask

    def _listen(self) -> None:
        if self.listening and not self.listening.closed:
            return
        if time.monotonic() < self.write_again_at:
            return
        try:
            self.listening = psycopg.connect(**live.connection_arguments(), autocommit=True)
            self.listening.execute(f"LISTEN {live.ASKED}".encode())
            self.commands_due = True
        except psycopg.OperationalError as error:
            log.warning("cannot listen: %s", error)
            self.listening, self.write_again_at = None, time.monotonic() + DATABASE_RETRY_S

    def _hear_browsers(self) -> None:
        try:
            if self.listening:
                self.commands_due |= any(True for _ in self.listening.notifies(timeout=0))
            if self.commands_due and self.hello and not self.writes:
                self.commands_due = False
                for command in Command.objects.filter(stand=self.stand, state=CommandState.WAITING).select_related(
                    "pull__session__stand", "pull__setup", "stand"
                ):
                    if command.pk not in self.waiting:
                        self._pass_on(command)
        except DATABASE_LOST as error:
            log.warning("database away: %s", error)
            connection.close()
            if self.listening:
                self.listening.close()
            self.listening, self.commands_due = None, True
            self.write_again_at = time.monotonic() + DATABASE_RETRY_S

    def _pass_on(self, command: Command) -> None:
        if self.line is None or self.hello is None:
            return
        self.waiting[command.pk] = (command, time.monotonic() + ANSWER_S)
        if command.name not in self.hello.can:
            self._answer(command, False, f"this stand does not take the command {command.name!r}")
            return
        arguments = command.arguments
        try:
            if command.name == "arm":
                if "fit" in self.hello.can:
                    # A simulated stand must be told what is bolted on; its refusal comes as the reply to arm, too.
                    fit = {"label": arguments["label"], "runner_length_m": _runner_length(arguments["parts"])}
                    self.line.send(0, "fit", fit)
                arguments = {key: arguments[key] for key in ("start_rpm", "end_rpm", "rate_rpm_s")}
                self.armed = command.pull
            elif command.name == "abort":
                # Too late to abort: a sweep that has reached its end is complete.
                self.aborting = self.state == "sweeping"
            self.line.send(command.pk, command.name, arguments)
        except LineLost as lost:
            self._lose(str(lost))

    def _take_reply(self, reply: Reply) -> None:
        if reply.id in self.waiting:
            self._answer(self.waiting[reply.id][0], reply.ok, reply.why)

    def _expire_commands(self) -> None:
        now = time.monotonic()
        for command, until in list(self.waiting.values()):
            if now > until:
                self._answer(command, False, "the stand did not answer")

    def _answer(self, command: Command, ok: bool, why: str) -> None:
        del self.waiting[command.pk]
        if not ok and command.name == "arm":
            self.armed = None
        self.write(lambda: services.answer_command(command, ok, why))

    def _recover(self) -> None:
        ended = services.recover_pulls(self.stand, self.clock())
        if ended:
            log.warning("ended %d pulls that a former worker left open", ended)


def _runner_length(parts: list[dict[str, Any]]) -> float:
    """What the simulated engine wants to know of the setup; without a manifold of its own it keeps a common one."""
    lengths = [part["runner_length_m"] for part in parts if part["runner_length_m"]]
    return float(lengths[0]) if lengths else 0.33
