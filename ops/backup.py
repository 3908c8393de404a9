"""Keep what a shop has: database, secrets and spool in one file, and put it back into an empty place.

A backup is a tar file: `torvix.json` says what it is and what is in it, `database.dump` is PostgreSQL's own format,
`secrets/` and `spool/` are as they lie on disk. Photographs and files that were read in are in the database.
"""

from __future__ import annotations

import hashlib
import io
import json
import os
import shutil
import subprocess
import tarfile
import tempfile
import time
from collections.abc import Mapping
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path

from ops.machine import POSTGRES_BIN, PYTHON, ROOT, VAR, CannotGoOn, say

FORMAT = 1
DUMP = "database.dump"
NIGHTLY, KEPT = "nightly", 14  # so many of them; the oldest go
FOLDER = VAR / "backups"
MANAGE = str(ROOT / "server" / "manage.py")
FOLDERS = ("secrets", "spool", "tls")
NOT_KEPT = ("pg*-password", "tests")  # secrets of this machine's own clusters; another has its own


def client(env: Mapping[str, str]) -> dict[str, str]:
    """The environment in which PostgreSQL's own programs find the database of `env`."""
    where = {f"PG{name}": env[f"TORVIX_DB_{name}"] for name in ("HOST", "PORT", "USER", "PASSWORD")}
    mode = {"PGSSLMODE": env["TORVIX_DB_SSLMODE"]} if env.get("TORVIX_DB_SSLMODE") else {}
    return {**os.environ, **where, **mode, "PGDATABASE": env["TORVIX_DB_NAME"], "PGCONNECT_TIMEOUT": "10"}


def migrations(env: Mapping[str, str]) -> list[str]:
    """Names of those that the database has, in their order."""
    query = "SELECT app || '.' || name FROM django_migrations ORDER BY app, name"
    done = subprocess.run([str(POSTGRES_BIN / "psql"), "-tAc", query], env=client(env), capture_output=True, text=True)
    return done.stdout.split() if done.returncode == 0 else []


def named(kind: str) -> Path:
    """A file of this moment in the folder of backups; `kind` says why it was taken."""
    return FOLDER / f"{kind}-{datetime.now(UTC):%Y%m%d-%H%M%S}.tar"


def back_up(env: Mapping[str, str], file: Path | None = None) -> Path:
    """Write a backup and read it back. CannotGoOn says why not; nothing half done is left behind."""
    file = (file or named("torvix")).resolve()
    if file.exists():
        raise CannotGoOn(f"{file} is there already: name another file")
    file.parent.mkdir(parents=True, exist_ok=True)
    unfinished = file.with_name(f"{file.name}.unfinished")
    try:
        with tempfile.TemporaryDirectory(dir=file.parent, prefix=".torvix-") as folder:
            # The spool first: what leaves it meanwhile is in the database twice over, which changes nothing.
            _copy_files(Path(folder))
            _dump(env, Path(folder) / DUMP)
            _pack(env, Path(folder), unfinished)
        verify(unfinished)
        os.replace(unfinished, file)
    except OSError as error:
        raise CannotGoOn(f"the backup could not be written to {file.parent}: {error.strerror or error}") from error
    finally:
        unfinished.unlink(missing_ok=True)
    say(f"backup: {file} ({file.stat().st_size / 1e6:.1f} MB), read back and complete")
    return file


def _dump(env: Mapping[str, str], dump: Path) -> None:
    """Of one moment, whatever is written meanwhile. Says how large it is while it grows."""
    command = [str(POSTGRES_BIN / "pg_dump"), "--format=custom", "--no-owner", "--no-privileges", f"--file={dump}"]
    process = subprocess.Popen(command, env=client(env), stderr=subprocess.PIPE, text=True)
    said_at = time.monotonic()
    while process.poll() is None:
        with suppress(subprocess.TimeoutExpired):
            process.wait(0.2)
        if time.monotonic() - said_at > 2.0:
            said_at = time.monotonic()
            say(f"backup: {dump.stat().st_size / 1e6 if dump.exists() else 0:.0f} MB of the database written")
    if process.returncode:
        assert process.stderr is not None
        raise CannotGoOn(f"the database could not be read: {process.stderr.read().strip()}")
    if process.stderr:
        process.stderr.close()


def _copy_files(into: Path) -> None:
    """Of one moment each: a worker may write on while they are packed."""
    for folder in FOLDERS:
        for path in sorted((VAR / folder).rglob("*")):
            if path.is_socket() or not path.is_file() or any(path.match(name) for name in NOT_KEPT):
                continue
            copy = into / folder / path.relative_to(VAR / folder)
            copy.parent.mkdir(parents=True, exist_ok=True)
            with suppress(FileNotFoundError):  # written into the database meanwhile
                shutil.copy2(path, copy)


def _pack(env: Mapping[str, str], folder: Path, into: Path) -> None:
    entries = [(str(path.relative_to(folder)), path) for path in sorted(folder.rglob("*")) if path.is_file()]
    manifest = {
        "format": FORMAT,
        "at": datetime.now(UTC).isoformat(timespec="seconds"),
        "migrations": migrations(env),
        "files": {name: _hash(path) for name, path in entries},
    }
    # It holds the secrets, so nobody else reads it from its first byte on.
    descriptor = os.open(into, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(descriptor, "wb") as out, tarfile.open(fileobj=out, mode="w") as packed:
        text = json.dumps(manifest, indent=1).encode()
        head = tarfile.TarInfo("torvix.json")
        head.size, head.mtime = len(text), int(time.time())
        packed.addfile(head, io.BytesIO(text))
        for name, path in entries:
            packed.add(path, name)


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def verify(file: Path) -> dict[str, object]:
    """Read a backup to its end and hold it against its own list; what it says of itself. CannotGoOn if it is broken."""
    try:
        with tarfile.open(file) as packed:
            manifest: dict[str, object] = {}
            found: dict[str, str] = {}
            for entry in packed:
                content = packed.extractfile(entry)
                if content is None:
                    continue
                if entry.name == "torvix.json":
                    manifest = json.load(content)
                    if manifest.get("format") != FORMAT:
                        form = manifest.get("format")
                        raise CannotGoOn(f"{file} was made by another Torvix (form {form}, this reads {FORMAT}): "
                                         "restore it with that one")  # fmt: skip
                else:
                    found[entry.name] = hashlib.file_digest(content, "sha256").hexdigest()  # type: ignore[arg-type]
    except (tarfile.TarError, EOFError, ValueError, OSError) as broken:
        raise CannotGoOn(f"{file} is no backup, or a broken one: {broken}") from broken
    if not manifest or found != manifest.get("files"):
        raise CannotGoOn(f"{file} is broken: it is not what its own list says. Take another backup")
    return manifest


def restore(env: Mapping[str, str], file: Path, *, over: bool = False) -> None:
    """Into an empty place; CannotGoOn where there is a shop already, and nothing is changed.

    `over` writes over the shop that is here: for going back after an upgrade, which has just backed it up.
    """
    manifest = verify(file)
    if not over and has_people(env):
        raise CannotGoOn("there is a shop here already, and it is not written over. Restore into an empty place: "
                         "another folder of Torvix, or another database by TORVIX_DATABASE_URL")  # fmt: skip
    unknown = set(_listed(manifest)) - set(known_migrations(env))
    if unknown:
        raise CannotGoOn(f"the backup is of a newer Torvix ({sorted(unknown)[-1]}): bring this one up to date first")
    with tempfile.TemporaryDirectory(dir=VAR, prefix=".torvix-") as folder:
        with tarfile.open(file) as packed:
            packed.extractall(folder, filter="data")
        say("restore: writing the database")
        _write_database(env, Path(folder) / DUMP)
        for name in FOLDERS:
            for path in sorted((Path(folder) / name).rglob("*")):
                if path.is_file():
                    target = VAR / name / path.relative_to(Path(folder) / name)
                    target.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
                    shutil.copy2(path, target)
    say(f"restore: the shop of {manifest['at']} is here. Start it with ./torvix serve")


# Of our own apps and of the libraries that keep tables beside them; what else lies in the database is not ours.
OURS = "^(shop|jobs|engines|programmes|stand|curves|verdicts|auth|django|axes|procrastinate)_"
# Also tables that the backup does not know, of a newer Torvix: they would hold on to those that are replaced.
DROP_OURS = f"""DO $$ DECLARE name text; BEGIN
  FOR name IN SELECT tablename FROM pg_tables WHERE schemaname = current_schema() AND tablename ~ '{OURS}' LOOP
    EXECUTE format('DROP TABLE %I CASCADE', name);
  END LOOP;
END $$;
"""


def _write_database(env: Mapping[str, str], dump: Path) -> None:
    """The dump in place of our tables, all of it or nothing. CannotGoOn says why not."""
    script = dump.with_suffix(".sql")
    command = [str(POSTGRES_BIN / "pg_restore"), "--clean", "--if-exists", "--no-owner", "--no-privileges",
               f"--file={script}", str(dump)]  # fmt: skip
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode == 0:
        psql = [str(POSTGRES_BIN / "psql"), "-q", "-v", "ON_ERROR_STOP=1", "--single-transaction",
                "-c", DROP_OURS, "-f", str(script)]  # fmt: skip
        done = subprocess.run(psql, env=client(env), stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    if done.returncode:
        raise CannotGoOn(f"the database could not be restored, and is as it was: {done.stderr.strip()[-400:]}")


def _listed(manifest: dict[str, object]) -> list[str]:
    names = manifest.get("migrations")
    return [str(name) for name in names] if isinstance(names, list) else []


def has_people(env: Mapping[str, str]) -> bool:
    """Whether somebody can sign in to the database of `env`."""
    query = "SELECT count(*) FROM shop_person"
    done = subprocess.run([str(POSTGRES_BIN / "psql"), "-tAc", query], env=client(env), capture_output=True, text=True)
    return done.returncode == 0 and done.stdout.strip() != "0"


def known_migrations(env: Mapping[str, str]) -> list[str]:
    """Names of those that this Torvix has."""
    command = [str(PYTHON), MANAGE, "showmigrations", "--plan", "--no-color"]
    done = subprocess.run(command, env=dict(env), capture_output=True, text=True)
    return [line.split("]", 1)[1].split()[0] for line in done.stdout.splitlines() if "]" in line]


def newest_of_a_night() -> Path | None:
    return max(FOLDER.glob(f"{NIGHTLY}-*.tar"), default=None, key=lambda file: file.stat().st_mtime)


def thin_out(kept: int = KEPT) -> None:
    """Of the nightly ones the newest stay; those taken before an upgrade, or by hand, are not touched."""
    for old in sorted(FOLDER.glob(f"{NIGHTLY}-*.tar"))[:-kept]:
        old.unlink()
