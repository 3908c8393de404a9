"""The build sheet at work: every figure that follows from what is written down, and what it rests on.

A figure is a rule that reads dimensions from the sheet. What it read is noted, so that a figure that hangs on an
assumed value says so, one that lacks something names it, and one whose input is contradicted is withheld.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np
from torvix_core.engine.dimensions import SECOND_BANK, SHEET
from torvix_core.engine.evidence import Origin, Settled
from torvix_core.engine.geometry import Cycle
from torvix_core.units.checked import Array

# how a figure names the table it read -> which ports
FLOW_TABLES = {"intake_flow_table": "intake", "exhaust_flow_table": "exhaust"}


class Missing(Exception):
    """A rule needs dimensions that the sheet does not give."""

    def __init__(self, *keys: str) -> None:
        super().__init__(", ".join(keys))
        self.keys = keys


@dataclass(frozen=True)
class FlowTable:
    """Flow of one port by valve lift: m (n,), m³/s at the bench depression of 28 inH2O (n,); lifts rise."""

    lift: Array
    flow: Array
    origin: Origin = Origin.MEASURED

    def at(self, lift: float | None) -> tuple[float, str]:
        """Flow at a lift, and a note where the table does not reach it. Never beyond what was tested."""
        if lift is None:
            return float(self.flow.max()), "the most in the table"
        if lift > self.lift[-1]:
            return float(self.flow[-1]), "the last lift tested; the cam lifts more"
        if lift < self.lift[0]:
            return float(self.flow[0]), "the first lift tested; the cam lifts less"
        return float(np.interp(lift, self.lift, self.flow)), "at the cam's lift"


@dataclass(frozen=True)
class Amount:
    """What a rule gives, SI: a value, or a band where only a band can be known, and what to say about it."""

    value: float | None
    low: float | None = None
    high: float | None = None
    note: str = ""


@dataclass(frozen=True)
class Rule:
    """One figure: where it stands, how it is measured, and how it is worked out."""

    key: str
    label: str
    group: str
    measure: str
    work_out: Callable[[BuildSheet], Amount | float]
    figure: str = ""
    unit: str = ""
    source: str = ""


@dataclass(frozen=True)
class Figure:
    """A rule worked out on one sheet. Without a value, `missing` or `refused` says why."""

    rule: Rule
    amount: Amount | None
    rests_on: tuple[str, ...]
    assumed: tuple[str, ...]
    missing: tuple[str, ...] = ()
    refused: str = ""


@dataclass(frozen=True)
class SheetFinding:
    """Something about the sheet that a person should know.

    `caution` where it can hurt somebody or an engine; `limit` where it passes what the sheet allows: an engine like
    that is no choice, whatever it makes.
    """

    group: str
    text: str
    caution: bool = False
    limit: bool = False


@dataclass
class BuildSheet:
    """Settled dimensions of one build, read by rules; it notes who read what."""

    dimensions: Mapping[str, Settled]
    flow: Mapping[str, FlowTable] = field(default_factory=dict)
    _readers: list[set[str]] = field(default_factory=list, repr=False)

    def number(self, key: str) -> float:
        """The value of a dimension, SI. Missing if there is none, or only contradicting ones."""
        value = self.maybe(key)
        if value is None:
            raise Missing(key)
        return value

    def numbers(self, *keys: str) -> list[float]:
        """Several at once, so that all that is missing is named together."""
        values = [self.maybe(key) for key in keys]
        if lacking := [key for key, value in zip(keys, values, strict=True) if value is None]:
            raise Missing(*lacking)
        return [value for value in values if value is not None]

    def maybe(self, key: str) -> float | None:
        value = self._read(key)
        return None if value is None or isinstance(value, str) else float(value)

    def given(self, key: str) -> float | None:
        """As `maybe`, for a rule that has a default: values that contradict each other are not taken for none."""
        value = self.maybe(key)
        if value is None and self._is_blocked(key):
            raise Missing(key)
        return value

    def words(self, key: str) -> str:
        """Words or a choice; empty where nothing is written."""
        value = self._read(key)
        return value if isinstance(value, str) else ""

    def word(self, key: str) -> str:
        """As `words`, where the rule cannot do without."""
        if not (found := self.words(key)):
            raise Missing(key)
        return found

    def table(self, side: str) -> FlowTable:
        """The flow table of the intake or exhaust ports."""
        if side not in self.flow:
            raise Missing(f"{side}_flow_table")
        for reader in self._readers:
            reader.add(f"{side}_flow_table")
        return self.flow[side]

    @property
    def cycle(self) -> Cycle:
        return Cycle(int(self.word("cycle")))

    def banked(self, key: str, bank: int) -> str:
        """The key of a cam dimension on a bank: the second bank's own where it is given."""
        second = key + SECOND_BANK
        return second if bank == 2 and second in self.dimensions and not self._is_empty(second) else key

    def has_second_bank(self) -> bool:
        return any(key.endswith(SECOND_BANK) and not self._is_empty(key) for key in self.dimensions)

    def work_out(self, rule: Rule) -> Figure:
        """One figure, with all that it read."""
        self._readers.append(set())
        amount: Amount | None = None
        missing: tuple[str, ...] = ()
        refused = ""
        try:
            given = rule.work_out(self)
            amount = given if isinstance(given, Amount) else Amount(float(given))
        except Missing as lacking:
            missing = lacking.keys
        except ValueError as error:
            refused = str(error)
        read = self._readers.pop()
        order = [key for key in (*SHEET, *FLOW_TABLES) if key in read]
        assumed = tuple(key for key in order if self._is_assumed(key))
        return Figure(rule, amount, tuple(order), assumed if amount else (), missing, refused)

    def _read(self, key: str) -> float | str | None:
        if key not in SHEET:
            raise KeyError(key)  # a slip in a rule, not in what somebody wrote
        found = self.dimensions.get(key, Settled(None))
        if found.value is not None or found.is_blocked:
            for reader in self._readers:
                reader.add(key)
        return found.value

    def _is_assumed(self, key: str) -> bool:
        if key in FLOW_TABLES:
            return self.flow[FLOW_TABLES[key]].origin is Origin.ASSUMED
        return self.dimensions.get(key, Settled(None)).is_assumed

    def _is_blocked(self, key: str) -> bool:
        return self.dimensions.get(key, Settled(None)).is_blocked

    def _is_empty(self, key: str) -> bool:
        return self.dimensions.get(key, Settled(None)).value is None and not self._is_blocked(key)
