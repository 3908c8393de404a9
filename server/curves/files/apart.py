"""A large file is read in a process of its own: with a bound on its memory, which goes back when it ends.

python -m curves.files.apart reads a file from its input and writes the table, or what is wrong with it, to its output.
"""

from __future__ import annotations

import os
import pickle
import resource
import subprocess
import sys

from curves.files.read import read_table
from curves.files.table import FileProblem, FileTable

LARGE = 8_000_000  # bytes, from which the start of a process does not matter
PACKED = (b"PK\x03\x04", b"PAR1", b"MDF ")  # may unpack to far more than they are
LARGE_PACKED = 500_000
MOST_MEMORY = 3_000_000_000  # bytes of addresses
LONGEST_S = 300.0
SMALLER = "Save each pull as a file of its own"


def read_table_apart(content: bytes) -> FileTable:
    """As `read_table`, and FileProblem also where the file takes too much memory or time."""
    if len(content) < (LARGE_PACKED if content[:4] in PACKED else LARGE):
        return read_table(content)
    one_thread = {"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}  # each thread takes addresses of its own
    env = {**os.environ, **one_thread, "PYTHONPATH": os.pathsep.join(path for path in sys.path if path)}
    command = [sys.executable, "-m", "curves.files.apart", str(MOST_MEMORY)]
    try:
        done = subprocess.run(command, input=content, capture_output=True, env=env, timeout=LONGEST_S, check=False)
    except subprocess.TimeoutExpired as error:
        raise FileProblem(f"it takes longer than {LONGEST_S:.0f} s to read. {SMALLER}") from error
    if done.returncode or not done.stdout:
        raise FileProblem(f"it takes more than {MOST_MEMORY / 1e9:.1f} GB of memory to read. {SMALLER}")
    found = pickle.loads(done.stdout)  # noqa: S301  # of our own process, which wrote nothing but this
    if isinstance(found, FileProblem):
        raise found
    assert isinstance(found, FileTable)
    return found


def main() -> None:
    most = int(sys.argv[1])
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    try:
        found: FileTable | FileProblem = read_table(sys.stdin.buffer.read())
    except FileProblem as problem:
        found = problem
    except MemoryError:
        sys.exit(3)
    pickle.dump(found, sys.stdout.buffer, protocol=pickle.HIGHEST_PROTOCOL)


if __name__ == "__main__":
    main()
