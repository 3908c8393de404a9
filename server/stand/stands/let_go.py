"""Serial lines, which one program alone can hold: the adapter of a stand lets go of them while another map is tried."""

from __future__ import annotations

import json
import socket
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from adapters import stand_map
from shop.models import Stand
from shop.refusals import Refusal
from stand.models import Pull, PullState

ANSWER_S = 3.0
MOVING = (PullState.ARMED, PullState.RUNNING)


def let_go(stand_id: int | None, seconds: float) -> None:
    """For so long, of the stand that has them; 0 takes them up again. Refusal while a pull is armed or running there.

    Nothing where the stand has no serial line, or no adapter that answers: then nobody holds it.
    """
    stand = Stand.objects.filter(pk=stand_id).first() if stand_id else None
    if stand is None or not _has_serial(stand):
        return
    if seconds and Pull.objects.filter(session__stand=stand, state__in=MOVING).exists():
        raise Refusal(f"A pull is armed or running on {stand}. Try a map when its engine is idle.", code="pull_running")
    asked = {"type": "command", "id": 1, "name": "let_go", "arguments": {"seconds": seconds}}
    with suppress(OSError), socket.create_connection((stand.host, stand.port), timeout=ANSWER_S) as line:
        line.sendall(json.dumps(asked).encode() + b"\n")
        for heard in line.makefile("rb"):  # until it is answered, or the line is closed, as it is let go of
            if json.loads(heard).get("type") == "reply":
                return


@contextmanager
def let_go_of(stand_id: int | None, seconds: float) -> Iterator[None]:
    """While the block runs, and for `seconds` at most."""
    let_go(stand_id, seconds)
    try:
        yield
    finally:
        let_go(stand_id, 0)


def _has_serial(stand: Stand) -> bool:
    sources = stand_map.read(stand.map).sources if stand.map else []
    return any(getattr(source, "serial", "") for source in sources)
