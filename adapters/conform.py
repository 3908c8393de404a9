"""Whether a stand does what its map says: armed, swept for a second, stopped, and left alone without a beat.

Only a map that passed takes commands. The engine is moved: with nobody near it, and somebody at the wired stop.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import logging
import re
import signal
import sys
import time
from collections.abc import AsyncIterator, Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

from adapters.adapter import Adapter
from adapters.control import AGAIN_S, Control, Refused
from adapters.control_map import MOVING
from adapters.stand_map import MapProblem, StandMap, checked, digest

HEARD = "The stand is heard, and says its state."
ALONE = "Without a heartbeat the stand stops by itself, as where this program dies."
AT_REST = "The stand is at rest at the end."
HEAR_S = 15.0
SPEEDS = (2000.0, 4000.0)  # rpm
RATE_RPM_S = 100.0  # slow: a sweep must not end by itself while its watchdog is tried
LEAST_SWEEP_RPM = 1500.0  # that it has room for a sweep with beats and one without
BEYOND_S = 0.5  # that it sweeps with beats, longer than it may without
LATE_S = 3.0  # that a busy machine may need beside
REST_S = 30.0
LOOK_S = 0.02
BEATS = 5  # within the time of a watchdog
RULE = re.compile(r"(ok    |BROKEN) (.+)")
SIGNALS = (signal.SIGINT, signal.SIGTERM)
ROOT = Path(__file__).parent.parent
CAUTION = (
    "The engine is swept for some seconds. Nobody near it; somebody at its wired stop, which was tried today. Local "
    "codes and the stand maker's instructions come first."
)
NOT_STOPPED = "THE STAND DID NOT STOP. Use the wired emergency stop."
NOT_KNOWN = "Where its engine still runs, use the wired emergency stop."

Said = Callable[[str, str], None]  # a rule, and what is wrong with it: "" where it is kept


async def conform(found: StandMap, speeds: tuple[float, float], said: Said) -> str:
    """The digest of the map where every rule is kept, else "". However it ends, the stand is stopped."""
    adapter = Adapter(found, trying=True)
    if adapter.control is None:
        raise MapProblem({"control": "is not mapped: there is nothing to try"})
    port: asyncio.Future[int] = asyncio.get_running_loop().create_future()
    running = asyncio.create_task(adapter.run("127.0.0.1", 0, port.set_result))
    passed = False
    try:
        wrong = await _heard(adapter)
        said(HEARD, wrong)
        if wrong:
            return ""
        async for rule, wrong in _protocol(await port, speeds):
            said(rule, wrong)
            if wrong:
                return ""
        wrong = await _left_alone(adapter.control, speeds)
        if not wrong and adapter.control.state is None:
            wrong = f"it is not heard any more, so that nobody knows whether it stopped. {NOT_KNOWN}"
        said(ALONE, wrong)
        passed = not wrong
    finally:
        if not await _at_rest(adapter.control):
            passed = False
            said(AT_REST, NOT_STOPPED)
        running.cancel()
        await asyncio.wait([running], timeout=LATE_S)
    return digest(found) if passed else ""


async def _heard(adapter: Adapter) -> str:
    until = time.monotonic() + HEAR_S
    while adapter.server.why_not:
        if time.monotonic() > until:
            lost = next((why for why in adapter.why_not if why), "")
            return lost or f"it did not say a state that the map knows within {HEAR_S:.0f} s"
        await asyncio.sleep(LOOK_S)
    return ""


async def _protocol(port: int, speeds: tuple[float, float]) -> AsyncIterator[tuple[str, str]]:
    """As for any stand. A program of its own: what ships for whoever builds a stand knows us by the protocol alone."""
    command = ["-u", "-m", "standin.conformance", "127.0.0.1", str(port), "--sweep", "--speeds", *map(str, speeds)]
    process = await asyncio.create_subprocess_exec(
        sys.executable, *command, cwd=ROOT, stdin=asyncio.subprocess.DEVNULL, stdout=asyncio.subprocess.PIPE
    )
    assert process.stdout is not None
    try:
        while line := (await process.stdout.readline()).decode():
            if match := RULE.match(line):
                wrong = "" if match[1].startswith("ok") else (await process.stdout.readline()).decode().strip()
                yield match[2].strip(), wrong
        if await process.wait():
            yield HEARD, "the line closed before all was tried"
    finally:
        with suppress(ProcessLookupError):
            process.kill()


async def _left_alone(control: Control, speeds: tuple[float, float]) -> str:
    """What is wrong; "" where it stopped by itself."""
    line, seconds = object(), control.of.watchdog_s

    async def beat() -> None:
        while True:
            control.beat(line)
            await asyncio.sleep(seconds / BEATS)

    beating = asyncio.create_task(beat())
    try:
        await _at_rest(control)
        sweep = {"start_rpm": speeds[0], "end_rpm": speeds[1], "rate_rpm_s": RATE_RPM_S}
        await control.obey(line, "arm", sweep)
        await control.obey(line, "start", {})
        await asyncio.sleep(seconds + BEYOND_S)
        if control.state not in MOVING:
            return (
                f"its sweep ended within {seconds + BEYOND_S:g} s, though heartbeats came: set a slower or longer one"
            )
        control.is_silent = True
        begun = time.monotonic()
        while control.state in MOVING:
            if (waited := time.monotonic() - begun) > seconds + LATE_S:
                return f"still {control.state} {waited:.0f} s after the last heartbeat: watchdog_s says {seconds:g}"
            await asyncio.sleep(LOOK_S)
    except Refused as refused:
        return str(refused)
    finally:
        control.is_silent = False
        beating.cancel()
    return ""


async def _at_rest(control: Control) -> bool:
    """Stopped, again and again until it is. A stand that is not heard is not at rest."""
    until = time.monotonic() + REST_S
    while control.may_run:
        if control.state != "rolling_off":
            with suppress(Refused):
                await control.obey(None, "abort", {})
        if time.monotonic() > until:
            return control.state == "rolling_off"
        await asyncio.sleep(AGAIN_S)
    return True


async def run(found: StandMap, speeds: tuple[float, float], said: Said, until_closed: Any = None) -> str:
    """`conform`, ended by a signal or where the other end of `until_closed`, a file, is gone: nobody waits for it."""
    loop = asyncio.get_running_loop()
    task = asyncio.create_task(conform(found, speeds, said))

    def end() -> None:
        """Once: what it does to stop the stand is not broken off."""
        for number in SIGNALS:
            loop.add_signal_handler(number, lambda: None)
        if until_closed is not None:
            loop.remove_reader(until_closed)
        task.cancel()

    for number in SIGNALS:
        loop.add_signal_handler(number, end)
    if until_closed is not None:
        loop.add_reader(until_closed, end)
    try:
        return await task
    except asyncio.CancelledError:
        return ""


def main() -> int:
    """`python -m adapters.conform`: the map as a line of JSON on its input, which stays open for as long as it is
    wanted; a line for each rule, and in the end one with the digest of the map, empty where it did not pass."""
    parser = argparse.ArgumentParser(description=main.__doc__)
    parser.add_argument("--speeds", type=float, nargs=2, default=SPEEDS, metavar=("RPM", "RPM"))
    options = parser.parse_args()
    logging.disable(logging.CRITICAL)  # what a library says of a lost line, we say in words

    def say(message: dict[str, Any]) -> None:
        with suppress(BrokenPipeError):
            print(json.dumps(message), flush=True)

    try:
        found = checked(json.loads(sys.stdin.readline()))
        passed = asyncio.run(
            run(found, tuple(options.speeds), lambda rule, wrong: say({"rule": rule, "wrong": wrong}), sys.stdin)
        )
    except MapProblem as problem:
        say({"rule": "The map is whole.", "wrong": str(problem)})
        passed = ""
    say({"digest": passed})
    return 0


if __name__ == "__main__":
    sys.exit(main())
