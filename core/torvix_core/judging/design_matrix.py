"""Which pull is of which setup, in which session and at which place, and what can be told from that."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray
from torvix_core.units.checked import Array, finite

TINY = 1e-9
FREE_FOR_COVARIATES = 6  # degrees of freedom that must remain once temperatures are accounted for [prac]


@dataclass(frozen=True, eq=False)
class Layout:
    """Pulls in their order: index of setup and session, and how many pulls the session had seen before; (pulls,).

    `covariates` (pulls, n) are readings, such as oil temperature, whose influence is to be taken out.
    """

    setup: NDArray[np.int_]
    session: NDArray[np.int_]
    place: Array
    covariates: Array | None = None

    @staticmethod
    def of(setup: ArrayLike, session: ArrayLike | None = None, place: ArrayLike | None = None) -> Layout:
        """A layout from plain lists; one session, and no pull between those given, unless told otherwise."""
        setups = np.asarray(setup, dtype=int)
        sessions = np.zeros(len(setups), dtype=int) if session is None else np.asarray(session, dtype=int)
        if place is None:
            first = {one: int(np.argmax(sessions == one)) for one in set(sessions.tolist())}
            places = np.array([index - first[one] for index, one in enumerate(sessions.tolist())], dtype=np.float64)
        else:
            places = finite("place", place)
        return Layout(setups, sessions, places)

    @property
    def setups(self) -> int:
        return int(self.setup.max()) + 1 if len(self.setup) else 0

    @property
    def sessions(self) -> int:
        return int(self.session.max()) + 1 if len(self.session) else 0

    @property
    def counts(self) -> NDArray[np.int_]:
        """Pulls of each setup."""
        return np.bincount(self.setup, minlength=self.setups)

    def span(self, session: int) -> float:
        """From the first to the last pull of a session, in pulls."""
        places = self.place[self.session == session]
        return float(places.max() - places.min()) if len(places) else 0.0

    def returns(self, session: int) -> bool:
        """Whether a session comes back to a setup after another one."""
        inside = np.flatnonzero(self.session == session)
        order = self.setup[inside[np.argsort(self.place[inside], kind="stable")]].tolist()
        visits = [one for before, one in zip([None, *order], order, strict=False) if one != before]
        return len(visits) > len(set(visits))

    def without(self, pull: int) -> Layout:
        """The same without one pull."""
        kept = np.arange(len(self.setup)) != pull
        covariates = None if self.covariates is None else self.covariates[kept]
        return Layout(self.setup[kept], self.session[kept], self.place[kept], covariates)


@dataclass(frozen=True, eq=False)
class Model:
    """How logs of scores become what setups are worth: `log_mean = weights @ logs`.

    weights (setups, pulls); covariance (setups, setups) of log_mean in variances of one pull; residual_maker (pulls,
    pulls); slopes (drifting, pulls); bend (pulls,) or None; influence (covariates, pulls) of one unit of a reading;
    group (setups,): only setups of one group can be compared; drifting: sessions whose drift is taken out.
    """

    layout: Layout
    weights: Array
    covariance: Array
    residual_maker: Array
    degrees_of_freedom: int
    group: NDArray[np.int_]
    drifting: tuple[int, ...]
    slopes: Array
    bend: Array | None
    influence: Array

    def variance(self, setup: int, reference: int) -> float:
        """Of log(setup / reference), in variances of one pull."""
        own = self.covariance
        return float(max(own[setup, setup] + own[reference, reference] - 2 * own[setup, reference], 0.0))

    def hidden_places(self, setup: int, reference: int) -> float:
        """How many pulls lie between the two in sessions whose drift cannot be seen."""
        shares = np.zeros(len(self.weights))
        shares[setup], shares[reference] = shares[setup] + 1, shares[reference] - 1
        return self.hidden_shift(shares)

    def hidden_of_pairs(self) -> Array:
        """`hidden_places` of every pair of setups, (setups, setups)."""
        found = np.zeros((len(self.weights), len(self.weights)))
        for one in range(self.layout.sessions):
            if one not in self.drifting:
                reach = self.weights @ np.where(self.layout.session == one, self.layout.place, 0.0)
                found += np.abs(reach[:, None] - reach[None, :])
        return found

    def hidden_shift(self, shares: Array) -> float:
        """The same for any combination of setups, shares (setups,)."""
        contrast = shares @ self.weights
        session, place = self.layout.session, self.layout.place
        return float(
            sum(
                abs((contrast * np.where(session == one, place, 0.0)).sum())
                for one in range(self.layout.sessions)
                if one not in self.drifting
            )
        )


def groups(layout: Layout) -> NDArray[np.int_]:
    """Setups that sessions link with each other share a number.

    Shapes: result (setups,).
    Units:  none.
    Errors: none.
    Source: connected parts of the graph of setups and sessions (connectedness of block designs, any textbook).
    >>> groups(Layout.of([0, 1, 1, 2, 3], [0, 0, 1, 1, 2])).tolist()
    [0, 0, 0, 1]
    """
    label = np.arange(layout.setups)
    changed = True
    while changed:
        before = label.copy()
        for session in range(layout.sessions):
            here = layout.setup[layout.session == session]
            if len(here):
                lowest = label[here].min()
                label[np.isin(label, label[here])] = lowest
        changed = bool((before != label).any())
    return np.unique(label, return_inverse=True)[1]


@lru_cache(maxsize=64)
def _model(key: tuple[bytes, bytes, bytes, bytes, int], bent: bool) -> Model:
    setup, session, place, readings, columns = key
    covariates = np.frombuffer(readings).reshape(-1, columns) if columns else None
    layout = Layout(
        np.frombuffer(setup, dtype=int), np.frombuffer(session, dtype=int), np.frombuffer(place), covariates
    )
    return _make(layout, bent)


def model_of(layout: Layout, bent: bool = False) -> Model:
    """The linear model that a layout allows.

    Drift is taken out of a session, as a straight line over its pulls, where the session comes back to a setup and a
    degree of freedom remains; `bent` adds one curvature shared by those sessions, where it can be told. Readings are
    accounted for only where FREE_FOR_COVARIATES degrees remain.

    Shapes: as `Layout` and `Model`.
    Units:  logs.
    Errors: ValueError if a setup has no pull.
    Source: least squares by the pseudo-inverse.
    >>> model_of(Layout.of([0, 0, 1, 1])).covariance.round(9).tolist()
    [[0.5, 0.0], [0.0, 0.5]]
    """
    readings = layout.covariates
    key = (
        layout.setup.astype(int).tobytes(), layout.session.astype(int).tobytes(), layout.place.tobytes(),
        b"" if readings is None else np.ascontiguousarray(readings, dtype=np.float64).tobytes(),
        0 if readings is None else readings.shape[1],
    )  # fmt: skip
    found = _model(key, bent)
    return replace(found, layout=layout)


def _make(layout: Layout, bent: bool) -> Model:
    counts = layout.counts
    if not len(counts) or (counts == 0).any():
        raise ValueError(f"setup {int(np.argmin(counts)) if len(counts) else 0} has no accepted pull")
    setups, pulls, group = layout.setups, len(layout.setup), groups(layout)
    # One session of each group is the reference; the setups' columns carry it.
    session_group = np.array([_group_of(layout, group, one) for one in range(layout.sessions)])
    free = [one for one in range(layout.sessions) if _is_later(session_group, one)]
    columns = [(layout.setup == one).astype(np.float64) for one in range(setups)]
    columns += [(layout.session == one).astype(np.float64) for one in free]
    drifting: list[int] = []
    for one in range(layout.sessions):
        if layout.returns(one) and _adds(columns, line := _centred(layout, one), pulls):
            columns.append(line)
            drifting.append(one)
    bend = None
    if bent and drifting:
        curve = sum(_centred(layout, one) ** 2 - _middle(_centred(layout, one) ** 2, layout, one) for one in drifting)
        if _adds(columns, np.asarray(curve), pulls):
            bend = len(columns)
            columns.append(np.asarray(curve))
    first_reading = len(columns)
    if layout.covariates is not None and pulls - len(columns) - layout.covariates.shape[1] >= FREE_FOR_COVARIATES:
        for reading in layout.covariates.T:
            if _adds(columns, centred := reading - reading.mean(), pulls):
                columns.append(centred)
    inverse = np.linalg.pinv(np.column_stack(columns))
    means = np.zeros((setups, len(columns)))
    means[:, :setups] = np.eye(setups)
    for setup in range(setups):
        mine = group[layout.setup] == group[setup]
        for place, one in enumerate(free):
            means[setup, setups + place] = (layout.session[mine] == one).mean()
    weights = means @ inverse
    return Model(
        layout=layout,
        weights=weights,
        covariance=weights @ weights.T,
        residual_maker=np.eye(pulls) - np.column_stack(columns) @ inverse,
        degrees_of_freedom=pulls - len(columns),
        group=group,
        drifting=tuple(drifting),
        slopes=inverse[setups + len(free) : setups + len(free) + len(drifting)],
        bend=None if bend is None else inverse[bend],
        influence=inverse[first_reading:],
    )


def _adds(columns: Sequence[Array], column: Array, pulls: int) -> bool:
    """Whether a column tells something new and leaves a degree of freedom."""
    if len(columns) + 1 >= pulls or np.abs(column).max() < TINY:
        return False
    before = np.column_stack(columns)
    rest = column - before @ np.linalg.lstsq(before, column)[0]
    return bool(np.linalg.norm(rest) > 1e-6 * np.linalg.norm(column))


def _centred(layout: Layout, session: int) -> Array:
    """Places of a session's pulls from their middle, nought elsewhere."""
    inside = layout.session == session
    return np.where(inside, layout.place - layout.place[inside].mean(), 0.0)


def _middle(values: Array, layout: Layout, session: int) -> Array:
    inside = layout.session == session
    return np.where(inside, values[inside].mean(), 0.0)


def _group_of(layout: Layout, group: NDArray[np.int_], session: int) -> int:
    here = layout.setup[layout.session == session]
    return int(group[here[0]]) if len(here) else -1


def _is_later(session_group: NDArray[np.int_], session: int) -> bool:
    """Whether a session has pulls and is not the first of its group."""
    mine = session_group[session]
    return bool(mine >= 0 and (session_group[:session] == mine).any())
