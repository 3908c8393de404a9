"""Minutes from one setup to the next: what comes off, what goes on, and what must be lifted to reach it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from torvix_core.judging.design import NOTHING, Setup
from torvix_core.units.checked import Array


class DependencyCycle(ValueError):
    """Slots that lie under each other in a ring; `path` names them, the first again at the end."""

    def __init__(self, path: Sequence[str]) -> None:
        self.path = tuple(path)
        super().__init__(f"{' under '.join(path)}: nothing could ever come off")


@dataclass(frozen=True)
class Work:
    """Minutes to take off and to put on what is in a slot, and the slots that lie above it and come off first."""

    remove_min: float
    install_min: float
    under: tuple[str, ...] = ()


NO_WORK = Work(0.0, 0.0)


def usual_works() -> dict[str, Work]:
    """What a slot takes where nobody has timed it.

    Shapes: by slot.
    Units:  minutes.
    Errors: none.
    Source: common practice: an intake manifold about 17 minutes, a carburetor under 5, heads hours [prac]; the rest
            placed between them, no source. The stopwatch of the shop replaces them.
    >>> manifold = usual_works()["intake_manifold"]
    >>> manifold.remove_min + manifold.install_min
    17
    """
    return {
        "camshaft": Work(60, 90),
        "cylinder_head": Work(70, 110, ("intake_manifold", "lower_intake", "header")),
        "gasket": Work(1, 2, ("intake_manifold", "lower_intake")),
        "intake_manifold": Work(7, 10),
        "lower_intake": Work(6, 9, ("upper_intake",)),
        "upper_intake": Work(4, 6),
        "adapter": Work(1, 2, ("spacer", "carburetor", "throttle_body")),
        "spacer": Work(0.5, 1, ("carburetor", "throttle_body")),
        "carburetor": Work(1.5, 2.5, ("air_cleaner",)),
        "throttle_body": Work(2, 3, ("air_cleaner",)),
        "air_cleaner": Work(0.5, 0.5),
        "header": Work(20, 30),
        "boost_control": Work(2, 4),
        "pulley": Work(4, 6),
        "other": Work(5, 10),
        "setting:spark_advance": Work(0, 1),
        "setting:jets": Work(0, 6),
        "setting:mixture_target": Work(0, 3),
        "setting:boost_target": Work(0, 3),
        "setting:cam_advance": Work(0, 25),
        "setting:fuel": Work(0, 15),
        "setting:drive": Work(0, 12),
    }


def touched(before: Setup, after: Setup, works: Mapping[str, Work]) -> list[str]:
    """Slots at which somebody works between two setups: those that change and all that lie above them.

    Shapes: two setups.
    Units:  none.
    Errors: none: a ring of slots is walked once.
    Source: house rule.
    >>> works = {"spacer": Work(1, 1, ("carburetor",)), "carburetor": Work(2, 2)}
    >>> touched({"carburetor": "650"}, {"carburetor": "650", "spacer": "open"}, works)
    ['spacer', 'carburetor']
    """
    slots = list(dict.fromkeys([*before, *after]))
    found = [slot for slot in slots if before.get(slot, NOTHING) != after.get(slot, NOTHING)]
    for slot in found:  # grows while it is walked
        found += [above for above in works.get(slot, NO_WORK).under if above not in found]
    return found


def minutes(before: Setup, after: Setup, works: Mapping[str, Work]) -> float:
    """How long it takes to come from one setup to another; an empty slot costs nothing.

    Shapes: two setups.
    Units:  minutes.
    Errors: none; a slot without work counts nothing.
    Source: sum over the slots that are touched.
    >>> works = {"spacer": Work(1, 1, ("carburetor",)), "carburetor": Work(2, 2)}
    >>> minutes({"carburetor": "650"}, {"carburetor": "650", "spacer": "open"}, works)
    5.0
    """
    total = 0.0
    for slot in touched(before, after, works):
        work = works.get(slot, NO_WORK)
        total += work.remove_min * (before.get(slot, NOTHING) != NOTHING)
        total += work.install_min * (after.get(slot, NOTHING) != NOTHING)
    return total


def matrix(setups: Sequence[Setup], works: Mapping[str, Work]) -> Array:
    """Minutes from each setup to each.

    Shapes: setups (n,); result (n, n), from row to column.
    Units:  minutes.
    Errors: as `check_dependencies`.
    Source: `minutes`.
    >>> matrix([{"spacer": ""}, {"spacer": "open"}], {"spacer": Work(1, 2)}).tolist()
    [[0.0, 2.0], [1.0, 0.0]]
    """
    check_dependencies(works)
    return np.array([[minutes(before, after, works) for after in setups] for before in setups])


def check_dependencies(works: Mapping[str, Work]) -> None:
    """Refuse slots that lie under each other in a ring.

    Shapes: by slot.
    Units:  none.
    Errors: DependencyCycle with the ring.
    Source: depth-first search.
    >>> check_dependencies({"spacer": Work(1, 1, ("carburetor",)), "carburetor": Work(2, 2)})
    """
    done: set[str] = set()

    def walk(slot: str, path: tuple[str, ...]) -> None:
        if slot in path:
            raise DependencyCycle((*path[path.index(slot) :], slot))
        if slot not in done:
            for above in works.get(slot, NO_WORK).under:
                walk(above, (*path, slot))
            done.add(slot)

    for slot in works:
        walk(slot, ())
