"""Whether a stand speaks the line protocol: for people who write an adapter. `./torvix conform HOST PORT`.

Nothing is swept unless it is asked for: then the stand is armed, disarmed, armed again, started and aborted at once.
"""

from __future__ import annotations

import argparse
import json
import math
import socket
import statistics
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

UNITS = {
    "rpm", "N·m", "lb-ft", "kPa", "Pa", "hPa", "bar", "mbar", "psi", "inHg", "mmHg", "inH2O", "K", "°C", "°F", "1", "%",
    "°", "lambda", "kg/s", "kg/h", "g/s", "lb/h", "m³/s", "m³/h", "L/s", "CFM",
}  # fmt: skip
STATES = {"idle", "armed", "sweeping", "rolling_off"}
WEATHER = {"barometer": (50.0, 110.0), "temperature": (-40.0, 60.0), "humidity": (0.0, 100.0)}
KPA = {"kPa": 1.0, "hPa": 0.1, "mbar": 0.1, "Pa": 1e-3, "bar": 100.0, "inHg": 3.386389, "psi": 6.894757}
SILENT_S = 3.0
LISTEN_S = 2.0
RATE_OFF = 0.1  # that samples may come more or less often than hello says
RATE_RPM_S = 200.0
BEATS = 5  # within the time of a watchdog
LATE_S = 3.0  # that a busy machine may need beside


class Broken(Exception):
    """A rule of the protocol that the stand does not keep."""


@dataclass
class Peer:
    """The line to the stand, and all that came over it."""

    host: str
    port: int
    heard: list[dict[str, Any]] = field(default_factory=list)
    speeds: tuple[float, float] = (2000.0, 4000.0)  # rpm of a sweep
    beat_s: float = math.inf  # between two words that somebody is there
    beat_at: float = -math.inf

    def __post_init__(self) -> None:
        self.socket = socket.create_connection((self.host, self.port), timeout=SILENT_S)
        self.lines = self.socket.makefile("rb")

    def hear(self, seconds: float, until: Callable[[dict[str, Any]], bool] = lambda _: False) -> dict[str, Any] | None:
        """Messages for so long, or until one is what is waited for."""
        deadline = time.monotonic() + seconds
        while (now := time.monotonic()) < deadline:
            if now > self.beat_at + self.beat_s:
                self.beat_at = now
                self.socket.sendall(b'{"type":"alive"}\n')
            try:
                line = self.lines.readline()
            except TimeoutError:
                raise Broken(f"nothing came for {SILENT_S:.0f} s: a stand that is there sends samples") from None
            if not line:
                raise Broken("the stand closed the line")
            try:
                message = json.loads(line)
            except ValueError as error:
                raise Broken(f"a line is not JSON: {line[:80]!r} ({error})") from error
            if not isinstance(message, dict) or "type" not in message:
                raise Broken(f"a message has no type: {line[:80]!r}")
            self.heard.append(message)
            if until(message):
                return message
        return None

    def ask(self, name: str, identity: int, **arguments: Any) -> dict[str, Any]:
        told = {"type": "command", "id": identity, "name": name, "arguments": arguments}
        self.socket.sendall(json.dumps(told).encode() + b"\n")
        reply = self.hear(4.0, lambda message: message["type"] == "reply" and message.get("id") == identity)
        if reply is None:
            raise Broken(f"no reply to {name!r} with id {identity} within 4 s")
        if not isinstance(reply.get("ok"), bool) or (not reply["ok"] and not reply.get("why")):
            raise Broken(f"the reply to {name!r} needs ok, and why where ok is false: {reply}")
        return reply

    def sweep(self) -> dict[str, float]:
        return {"start_rpm": self.speeds[0], "end_rpm": self.speeds[1], "rate_rpm_s": RATE_RPM_S}

    def close(self) -> None:
        self.lines.close()
        self.socket.close()


def check_hello(peer: Peer) -> None:
    """The first message is a hello with protocol 1, channels in known units, and what the stand can do."""
    hello = peer.hear(SILENT_S, lambda _: True)
    if hello is None or hello["type"] != "hello":
        raise Broken("the first message must be hello")
    if hello.get("protocol") != 1:
        raise Broken(f"protocol is {hello.get('protocol')!r}, must be 1")
    if not isinstance(hello.get("rate_hz"), int | float) or not 1 <= hello["rate_hz"] <= 10_000:
        raise Broken(f"rate_hz is {hello.get('rate_hz')!r}, must be a number from 1 to 10000")
    names = [channel.get("name") for channel in hello.get("channels", [])]
    if len(set(names)) != len(names) or not {"rpm", "torque"} <= set(names):
        raise Broken(f"channels need different names, rpm and torque among them: {names}")
    if unknown := [channel for channel in hello["channels"] if channel.get("unit") not in UNITS]:
        raise Broken(f"unknown units, which would be stored and not computed with: {unknown}")
    if not isinstance(hello.get("can", []), list):
        raise Broken("can must be a list of commands")
    if hello.get("inertia", {}).get("torque", "unknown") not in ("included", "not_included", "unknown"):
        raise Broken("inertia.torque must be included, not_included or unknown")


def check_samples(peer: Peer) -> None:
    """Samples come by themselves, numbered without gaps, each with a time that grows and a value a channel."""
    hello, listen = peer.heard[0], LISTEN_S
    peer.hear(listen)
    got = [message for message in peer.heard if message["type"] == "samples"]
    if not got:
        raise Broken(f"no samples in {listen:.0f} s")
    number, before = None, -math.inf
    for message in got:
        if len(message["t"]) != len(message["v"]) or not message["t"]:
            raise Broken("a message of samples needs as many times as rows, and at least one")
        if number is not None and message["n"] != number:
            raise Broken(f"sample {message['n']} follows {number - 1}")
        number = message["n"] + len(message["t"])
        for at, row in zip(message["t"], message["v"], strict=True):
            if at <= before:
                raise Broken(f"time goes from {before} to {at}")
            before = at
            if len(row) != len(hello["channels"]):
                raise Broken(f"a row has {len(row)} values for {len(hello['channels'])} channels")
            if any(value is not None and not isinstance(value, int | float) for value in row):
                raise Broken(f"a value is a number or null: {row}")
    times = [at for message in got for at in message["t"]]
    if len(times) > 20:
        rate = (len(times) - 1) / (times[-1] - times[0])
        usual = 1 / statistics.median(after - at for at, after in pairwise(times))
        # In the mean, or but for a line that was held up once: two seconds are short.
        if all(abs(one / hello["rate_hz"] - 1) > RATE_OFF for one in (rate, usual)):
            raise Broken(f"samples come {rate:.1f} a second by the stand's clock, hello says {hello['rate_hz']}")


def check_states(peer: Peer) -> None:
    """The state is said after hello, unless hello says that it says none."""
    if not peer.heard[0].get("states", True):
        return
    states = [message.get("state") for message in peer.heard if message["type"] == "state"]
    if not states or not set(states) <= STATES:
        raise Broken(f"states must be said, of {', '.join(sorted(STATES))}: {states}")


def check_weather(peer: Peer) -> None:
    """Weather, where hello names any, is what weather can be: station pressure, air temperature, humidity."""
    named = peer.heard[0].get("weather", [])
    if not named:
        return
    got = [message for message in peer.heard if message["type"] == "weather"]
    if not got:
        raise Broken("hello names weather, and none was said")
    for channel, value in zip(named, got[-1]["v"], strict=True):
        low, high = WEATHER.get(channel["name"], (-math.inf, math.inf))
        read = value * KPA.get(channel["unit"], 1.0) if channel["name"] == "barometer" else value
        if channel["unit"] == "°F":
            read = (value - 32) / 1.8
        if not low <= read <= high:
            raise Broken(f"{channel['name']} reads {value} {channel['unit']}: no weather is like that")


def check_nonsense(peer: Peer) -> None:
    """What is no command is refused or passed over, and the line stays open."""
    peer.socket.sendall(b"this is not the protocol\n")
    reply = peer.ask("a command that no stand knows", 4711)
    if reply["ok"]:
        raise Broken("a command that no stand knows was answered with ok")


def check_sweep(peer: Peer) -> None:
    """Armed, disarmed, armed, started and aborted: each with its reply and its state."""
    can = set(peer.heard[0].get("can", []))
    if not {"arm", "start", "abort"} <= can:
        return

    def state(wanted: str, seconds: float) -> None:
        if peer.hear(seconds, lambda one: one["type"] == "state" and one["state"] == wanted) is None:
            raise Broken(f"the state {wanted} was not said within {seconds:.0f} s")

    peer.beat_s = float(peer.heard[0].get("watchdog_s") or math.inf) / BEATS
    if peer.ask("start", 1)["ok"]:
        raise Broken("start was taken without an arming")
    for identity in (2, 4):
        if not (reply := peer.ask("arm", identity, **peer.sweep()))["ok"]:
            raise Broken(f"arm was refused: {reply['why']}")
        if identity == 2:
            peer.ask("abort", 3)
            state("idle", 20.0)
    if not (reply := peer.ask("start", 5))["ok"]:
        raise Broken(f"start was refused: {reply['why']}")
    peer.hear(1.0)
    if not peer.ask("abort", 6)["ok"]:
        raise Broken("abort was refused in a sweep")
    state("idle", 30.0)
    said = [one["state"] for one in peer.heard if one["type"] == "state"]
    if "armed" not in said or "sweeping" not in said:
        raise Broken(f"armed and sweeping must be said: {said}")


def check_watchdog(peer: Peer) -> None:
    """A stand that takes commands stops by itself where whoever armed it says nothing for the seconds it named."""
    hello = peer.heard[0]
    if not {"arm", "start", "abort"} <= set(hello.get("can", [])):
        return
    seconds = hello.get("watchdog_s")
    if not isinstance(seconds, int | float) or not 0.2 <= seconds <= 10:
        raise Broken(f"watchdog_s is {seconds!r}, must be a number from 0.2 to 10: a stand that is armed over a line "
                     "that falls silent has to stop by itself")  # fmt: skip
    if not (reply := peer.ask("arm", 7, **peer.sweep()))["ok"]:
        raise Broken(f"arm was refused: {reply['why']}")
    peer.beat_s = math.inf
    gone = peer.hear(seconds + LATE_S, lambda one: one["type"] == "state" and one["state"] in ("idle", "rolling_off"))
    if gone is None:
        raise Broken(f"still armed {seconds + LATE_S:.0f} s after the last word: watchdog_s says {seconds} s")


CHECKS: list[Callable[[Peer], None]] = [check_hello, check_samples, check_states, check_weather, check_nonsense]


def run(host: str, port: int, *, sweep: bool, speeds: tuple[float, float] = Peer.speeds) -> Iterator[tuple[str, str]]:
    """Each rule and what is wrong with it; "" where it is kept. Ends at the first that is broken."""
    peer = Peer(host, port, speeds=speeds)
    try:
        for check in [*CHECKS, *([check_sweep, check_watchdog] if sweep else [])]:
            rule = (check.__doc__ or "").strip()
            try:
                check(peer)
            except Broken as broken:
                yield rule, str(broken)
                return
            except (KeyError, TypeError, ValueError, OSError) as error:
                yield rule, f"{type(error).__name__}: {error}"
                return
            yield rule, ""
    finally:
        peer.close()


def main() -> int:
    parser = argparse.ArgumentParser(prog="./torvix conform", description="Does a stand speak the line protocol?")
    parser.add_argument("host")
    parser.add_argument("port", type=int)
    sweep = "also arm, start and abort. Only with nobody near the engine and its operator at hand"
    parser.add_argument("--sweep", action="store_true", help=sweep)
    between = "of that sweep; aborted after a second"
    parser.add_argument("--speeds", type=float, nargs=2, default=Peer.speeds, metavar=("RPM", "RPM"), help=between)
    options = parser.parse_args()
    broken = False
    try:
        for rule, wrong in run(options.host, options.port, sweep=options.sweep, speeds=tuple(options.speeds)):
            broken |= bool(wrong)
            print(f"{'BROKEN' if wrong else 'ok    '} {rule}" + (f"\n       {wrong}" if wrong else ""), flush=True)
    except OSError as error:
        print(f"nothing answers at {options.host}:{options.port}: {error}", file=sys.stderr)
        return 1
    return 1 if broken else 0


if __name__ == "__main__":
    sys.exit(main())
