"""A part between tested ones: families of parts with one hidden, and a band beside the best that anybody could draw.

The bins of one family hang together, so a family counts once: the hidden part's whole curve lies in the band or not.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from django.test import SimpleTestCase
from numpy.testing import assert_allclose
from scipy.interpolate import RBFInterpolator
from torvix_core.beyond.slot_in import FEWEST_RESONATING, fewest_parts, slot_in

SPEED = np.arange(2500.0, 6501, 100)
FAMILIES = 80


def smooth(reach_rpm: float) -> np.ndarray:
    """Root of a covariance by which neighboring speeds hang together."""
    apart = (SPEED[:, None] - SPEED[None, :]) / reach_rpm
    return np.linalg.cholesky(np.exp(-0.5 * apart**2) + 1e-9 * np.eye(len(SPEED)))


LEVEL_AND_BINS = np.linalg.cholesky(0.7 + 0.3 * smooth(200) @ smooth(200).T)


def covariance(places: np.ndarray, reach: float, own: float, bell: bool) -> np.ndarray:
    """How parts of one family stray from a straight line together: written anew, not that of the core."""
    apart = np.abs(places[:, None] - places[None, :]) / reach
    root = np.sqrt(5) * apart
    body = np.exp(-0.5 * (apart / 0.7) ** 2) if bell else (1 + root + root**2 / 3) * np.exp(-root)
    return np.asarray((1 - own) * body + own * np.eye(len(places)))


@dataclass
class Family:
    """Tested parts and the hidden one last; `ideal` is the half width, at 95 %, that knows roughness and noise."""

    places: np.ndarray
    worth: np.ndarray
    read: np.ndarray
    unknown: np.ndarray
    ideal: float

    def widths(self) -> tuple[bool, float]:
        """Whether the band holds the hidden part's whole curve, and half its mean width on the log scale."""
        found = slot_in(self.places[:-1], self.places[-1], self.read, self.unknown, SPEED)
        true = np.expm1(self.worth[-1] - self.worth[0])
        held = bool(((found.low[0] <= true) & (true <= found.high[0])).all())
        return held, float(np.mean(np.log1p(found.high[0]) - np.log1p(found.low[0]))) / 2


def places_of(dice: np.random.Generator, parts: int) -> np.ndarray:
    moved = np.linspace(0, 1, parts)
    moved[1:-1] += dice.uniform(-0.3, 0.3, parts - 2) / (parts - 1)
    return np.append(moved, dice.uniform(0.05, 0.95))


def read(dice: np.random.Generator, worth: np.ndarray, noise: float) -> tuple[np.ndarray, np.ndarray]:
    """What pulls show of the tested parts, their levels and their bins off by `noise` together."""
    parts = len(worth) - 1
    shown = worth[:-1] + noise * dice.normal(size=(parts, len(SPEED))) @ LEVEL_AND_BINS.T
    return shown, np.broadcast_to(noise**2 * np.eye(parts), (len(SPEED), parts, parts))


def drawn(dice: np.random.Generator, parts: int, bell: bool) -> Family:
    """A family whose roughness is drawn at random, over a trend that turns about the middle of the range."""
    places = places_of(dice, parts)
    rough, noise = 0.008 * np.exp(dice.normal(0, 0.8)), dice.uniform(0.001, 0.003)
    shape = covariance(places, dice.uniform(0.4, 1.5), dice.uniform(0.01, 0.3), bell)
    root = np.linalg.cholesky(shape + 1e-10 * np.eye(len(places)))
    strayed = rough * root @ dice.normal(size=(len(places), len(SPEED))) @ smooth(dice.uniform(400, 1200)).T
    worth = strayed + places[:, None] * dice.normal(0, 0.03) * np.linspace(-1, 1, len(SPEED))
    shown, unknown = read(dice, worth, noise)
    return Family(places, worth, shown, unknown, ideal_of(places, rough**2 * shape, noise))


def ideal_of(places: np.ndarray, strayed: np.ndarray, noise: float) -> float:
    """Half width at 95 % of the best linear unbiased prediction against the first part, by one who knows the spreads.

    Solved as generalized least squares for line and prediction in turn (Goldberger, J. Am. Stat. Assoc. 57 (1962)
    [mem]), not as the one system of the core.
    """
    parts = len(places) - 1
    among = strayed[:parts, :parts] + noise**2 * np.eye(parts)
    line, wanted = np.stack([np.ones(parts), places[:-1]], axis=1), np.array([1.0, places[-1]])
    inverse = np.linalg.inv(among)
    of_line = np.linalg.inv(line.T @ inverse @ line) @ line.T @ inverse
    shares = strayed[parts, :parts] @ inverse @ (np.eye(parts) - line @ of_line) + wanted @ of_line
    whole = np.append(-shares, 1.0)
    against = shares - np.eye(parts)[0]
    return float(1.96 * np.sqrt(whole @ strayed @ whole + noise**2 * against @ against))


def camshaft(dice: np.random.Generator) -> Callable[[float], np.ndarray]:
    """The peak moves up with duration: common practice, no source."""
    peak, moves, width = dice.uniform(3800, 4800), dice.uniform(300, 1500), dice.uniform(0.35, 0.7)
    high, gain = dice.uniform(0.1, 0.3), dice.uniform(-0.02, 0.03)
    return lambda place: high * np.exp(-0.5 * (np.log(SPEED / (peak + moves * place)) / width) ** 2) + gain * place


def carburetor(dice: np.random.Generator) -> Callable[[float], np.ndarray]:
    """What is lost at a restriction falls as its size is squared, so that more of it helps ever less."""
    lost, grows = dice.uniform(0.02, 0.08), dice.uniform(0.2, 1.0)
    return lambda place: -lost * (SPEED / 6000) ** 2 / (1 + grows * place) ** 2 - 0.01 * place * 3000 / SPEED


def runner(dice: np.random.Generator) -> Callable[[float], np.ndarray]:
    """Three peaks that move down as the runner gets longer: a quarter wave, speed times length constant [phys]."""
    tuned, high, width = dice.uniform(1.3e6, 1.9e6), dice.uniform(0.02, 0.06), dice.uniform(0.08, 0.16)
    short, span = dice.uniform(220, 260), dice.uniform(100, 200)

    def worth(place: float) -> np.ndarray:
        waves = np.log(SPEED * (short + span * place) / tuned)
        return np.asarray(sum(high / order**0.5 * np.exp(-0.5 * ((waves + np.log(order)) / width) ** 2)
                              for order in (1, 1.5, 2)))  # fmt: skip

    return worth


def shaped(dice: np.random.Generator, parts: int, kind: Callable[..., Callable[[float], np.ndarray]]) -> Family:
    places, worth_at = places_of(dice, parts), kind(dice)
    own = dice.uniform(0.0005, 0.003) * dice.normal(size=(parts + 1, len(SPEED))) @ smooth(dice.uniform(400, 1000)).T
    worth = np.stack([worth_at(place) for place in places]) + own
    return Family(places, worth, *read(dice, worth, dice.uniform(0.001, 0.003)), np.nan)


class Band(SimpleTestCase):
    def test_it_holds_hidden_parts_in_nine_families_of_ten_and_is_at_most_twice_the_ideal(self):
        for parts in (3, 4, 5, 8):
            for bell in (False, True):
                with self.subTest(parts=parts, bell=bell):
                    dice = np.random.default_rng(5)
                    families = [drawn(dice, parts, bell) for _ in range(FAMILIES)]
                    found = [family.widths() for family in families]
                    self.assertGreaterEqual(np.mean([held for held, _ in found]), 0.90)
                    ratios = [width / family.ideal for (_, width), family in zip(found, families, strict=True)]
                    self.assertLess(np.mean(ratios), 2.0)

    def test_it_holds_parts_that_follow_the_physics_of_their_kind(self):
        for kind, parts in ((camshaft, 3), (camshaft, 5), (carburetor, 3), (carburetor, 5), (runner, 4), (runner, 5)):
            with self.subTest(kind=kind.__name__, parts=parts):
                dice = np.random.default_rng(3)
                held = [shaped(dice, parts, kind).widths()[0] for _ in range(FAMILIES)]
                self.assertGreaterEqual(np.mean(held), 0.90)

    def test_rough_families_have_wide_bands_and_smooth_ones_narrow(self):
        places, flat = np.array([0.0, 0.5, 1.0]), np.zeros((3, len(SPEED)))
        bent = flat + np.array([0.0, 0.03, 0.0])[:, None] * np.sin(SPEED / 700)
        known = np.broadcast_to(1e-6 * np.eye(3), (len(SPEED), 3, 3))
        smooth_one, rough_one = (slot_in(places, 0.25, logs, known, SPEED) for logs in (flat, bent))
        self.assertGreater(np.mean(rough_one.high - rough_one.low), 3 * np.mean(smooth_one.high - smooth_one.low))
        self.assertGreater(rough_one.roughness, 3 * smooth_one.roughness)

    def test_what_the_verdict_does_not_know_is_in_it(self):
        places, flat = np.array([0.0, 0.5, 1.0]), np.zeros((3, len(SPEED)))
        widths = [
            np.mean(found.high - found.low)
            for noise in (0.001, 0.01)
            for found in [slot_in(places, 0.4, flat, np.broadcast_to(noise**2 * np.eye(3), (41, 3, 3)), SPEED)]
        ]
        self.assertGreater(widths[1], 2 * widths[0])


class Curve(SimpleTestCase):
    def test_a_straight_family_is_met_on_its_line(self):
        places = np.array([216.0, 228, 242])
        worth = (places - 216)[:, None] / 26 * np.linspace(-0.03, 0.04, len(SPEED))
        found = slot_in(places, 235.0, worth, np.zeros((len(SPEED), 3, 3)), SPEED)
        assert_allclose(np.log1p(found.change[0]), 19 / 26 * np.linspace(-0.03, 0.04, len(SPEED)), atol=1e-4)

    def test_it_follows_an_independent_interpolator_where_nothing_is_noise(self):
        """Thin plate splines of SciPy, with a straight trend, through eight parts of a smooth family."""
        places = np.linspace(0, 1, 8)
        worth = np.stack([camshaft(np.random.default_rng(2))(place) for place in places])
        spline = RBFInterpolator(places[:, None], worth, kernel="thin_plate_spline", degree=1)
        found = slot_in(places, 0.63, worth, np.zeros((len(SPEED), 8, 8)), SPEED)
        assert_allclose(np.log1p(found.change[0]), spline(np.array([[0.63]]))[0] - worth[0], atol=1e-3)

    def test_against_any_tested_part_it_is_the_same_part(self):
        family = drawn(np.random.default_rng(8), 4, False)
        found = slot_in(family.places[:-1], family.places[-1], family.read, family.unknown, SPEED)
        own = np.log1p(found.change) + family.read
        assert_allclose(own - own[0], 0, atol=2e-3)

    def test_parts_that_are_missed_by_their_neighbors_are_named(self):
        worth = np.zeros((3, len(SPEED)))
        worth[1] = 0.01
        found = slot_in(np.array([0.0, 1, 2]), 0.5, worth, np.zeros((len(SPEED), 3, 3)), SPEED)
        assert_allclose(found.missed, [np.nan, 0.01, np.nan])

    def test_nothing_is_drawn_outside_or_from_too_few(self):
        flat, known = np.zeros((3, len(SPEED))), np.zeros((len(SPEED), 3, 3))
        with self.assertRaisesRegex(ValueError, "outside the tested span"):
            slot_in(np.array([216.0, 228, 242]), 250.0, flat, known, SPEED)
        with self.assertRaisesRegex(ValueError, "fewer than 3"):
            slot_in(np.array([216.0, 216, 242]), 230.0, flat, known, SPEED)
        self.assertEqual(fewest_parts("runner_length"), FEWEST_RESONATING)
