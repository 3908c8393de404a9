"""The processes of the stands: a bench worker for each, a simulated stand where there is one, as the table says."""

from __future__ import annotations

import json
import os
import subprocess
import tomllib
from dataclasses import dataclass, field
from pathlib import Path

from ops.cluster import free_port
from ops.machine import PYTHON, ROOT, say
from ops.processes import Family

SPARE = "spare bench worker"
MANAGE = str(ROOT / "server" / "manage.py")


@dataclass(frozen=True)
class StandLine:
    """A row of the list that manage.py follow_stands writes."""

    id: int
    name: str = field(compare=False)  # another name is no reason to let go of the line
    host: str
    port: int
    simulated: str  # the engine of a simulated stand; empty for a real one
    inertia: float | None  # kg·m², as the owner knows it
    map: str  # TOML, of a stand that an adapter of ours reads; empty for any other
    recorder: str  # the folder of a stand that has no line; empty for any other


class Stands:
    """Starts, restarts and stops what the list asks for. `tend` is called again and again."""

    def __init__(self, family: Family, file: Path, logs: Path) -> None:
        self.family, self.file, self.logs = family, file, logs
        self.running: dict[int, StandLine] = {}
        self._read = ""
        self._spares = 0
        self._call: Path | None = None  # where the spare worker looks for the stand that it is to serve

    def start(self) -> None:
        """What the table says now, and from now on."""
        self.file.unlink(missing_ok=True)
        follow = [str(PYTHON), MANAGE, "follow_stands", "--into", str(self.file)]
        self.family.start("the list of stands", follow, self.logs / "stands.log")
        self._prepare()

    def _prepare(self) -> None:
        """A worker that has its programs loaded and no stand yet: one that is added is linked two seconds sooner."""
        self._spares += 1
        self._call = self.file.with_name(f"spare-worker-{self._spares}.json")
        self._call.unlink(missing_ok=True)
        wait = [str(PYTHON), MANAGE, "bench", "--spare", str(self._call)]
        self.family.start(SPARE, wait, self.logs / "bench-spare.log")

    def _start_worker(self, stand: StandLine) -> None:
        work = [str(PYTHON), MANAGE, "bench", "--stand", str(stand.id)]
        log = self.logs / f"bench-{stand.id}.log"
        if self._call is None or not self.family.rename(SPARE, _worker(stand), work, log):
            self.family.start(_worker(stand), work, log)
            return
        fresh = self._call.with_suffix(".new")
        fresh.write_text(json.dumps({"stand": str(stand.id), "log": str(log)}))
        os.replace(fresh, self._call)
        self._prepare()

    def tend(self) -> None:
        try:
            text = self.file.read_text()
        except FileNotFoundError:
            return  # it has not been written yet
        if text == self._read:
            return
        self._read = text
        wanted = {row["id"]: StandLine(**row) for row in json.loads(text)}
        for stand in list(self.running.values()):
            if wanted.get(stand.id) != stand:
                self._end(stand)
        for stand in wanted.values():
            if stand.id not in self.running:
                self._begin(stand)

    def _begin(self, stand: StandLine) -> None:
        self.running[stand.id] = stand
        if stand.recorder:
            follow = [str(PYTHON), MANAGE, "watch_recorder", "--stand", str(stand.id)]
            self.family.start(_watch(stand), follow, self.logs / f"recorder-{stand.id}.log")
            say(f"{stand.name}: files that are finished in {stand.recorder} become its pulls")
            return
        if stand.simulated or stand.map:
            if (port := free_port(stand.port)) != stand.port:
                # Something else has its port since; the list tells of the new one in a moment.
                point = [str(PYTHON), MANAGE, "point_stand", "--stand", str(stand.id), "--port", str(port)]
                subprocess.run(point, env=self.family.env, stdout=subprocess.DEVNULL)
                del self.running[stand.id]
                return
            if stand.simulated:
                self._simulate(stand)
            if stand.map:
                self._adapt(stand)
        self._start_worker(stand)
        say(f"{stand.name}: a bench worker holds the line to {stand.host}:{stand.port}")

    def _simulate(self, stand: StandLine) -> None:
        """Where it has a map, over the standard of its source: its own line is its console then."""
        simulate = [str(PYTHON), "-m", "standin", "--warm", "--engine", stand.simulated]
        if stand.map:
            source = tomllib.loads(stand.map)["sources"][0]
            over = ["--over", source["kind"], "--over-port", str(source["port"]), "--takes-commands"]
            simulate += ["--port", "0", *over]
        else:
            simulate += ["--port", str(stand.port)]
        self.family.start(_simulated(stand), simulate, self.logs / f"stand-{stand.id}.log")

    def _adapt(self, stand: StandLine) -> None:
        written = self.file.with_name(f"stand-{stand.id}.toml")
        written.touch(mode=0o600)  # it may hold a password
        written.write_text(stand.map)
        adapt = [str(PYTHON), "-m", "adapters", str(written), "--port", str(stand.port)]
        self.family.start(_adapter(stand), adapt, self.logs / f"adapter-{stand.id}.log")

    def _end(self, stand: StandLine) -> None:
        del self.running[stand.id]
        if stand.recorder:
            self.family.end(_watch(stand))
            say(f"{stand.name}: its folder is not watched any more")
            return
        self.family.end(_worker(stand))
        if stand.simulated:
            self.family.end(_simulated(stand))
        if stand.map:
            self.family.end(_adapter(stand))
        say(f"{stand.name}: its bench worker was stopped")


def _worker(stand: StandLine) -> str:
    return f"bench worker, stand {stand.id}"


def _watch(stand: StandLine) -> str:
    return f"watch of the recorder, stand {stand.id}"


def _adapter(stand: StandLine) -> str:
    return f"adapter, stand {stand.id}"


def _simulated(stand: StandLine) -> str:
    return f"simulated stand {stand.id}"
