import numpy as np
from django.test import SimpleTestCase
from torvix_core.pull import inertia
from torvix_core.units import quantities

RNG = np.random.default_rng(4)
ENGINE = 300 - 14 * ((np.arange(2500.0, 6500, 100) - 4200) / 1500) ** 2


def brake(rate: float, of: float, noise: float = 0.0) -> np.ndarray:
    return ENGINE - of * rate * np.pi / 30 + RNG.normal(0, noise, len(ENGINE))


class TwoRates(SimpleTestCase):
    def test_it_comes_back_from_two_sweeps_with_an_interval_that_holds_it(self):
        """I·dω/dt [phys]: 600 rpm/s is 62.83 rad/s², at which 0.6 kg·m² hide 37.7 N·m (27.8 lb-ft, domain.md 7)."""
        hidden = brake(0.0, 0.6) - brake(600.0, 0.6)
        self.assertAlmostEqual(float(quantities.from_si(hidden.mean(), "lb-ft")), 27.8, places=1)
        rates = np.full(len(ENGINE), 300.0), np.full(len(ENGINE), 600.0)
        held = 0
        for _ in range(200):
            found = inertia.from_two_rates((brake(300, 0.45, 1.0), brake(600, 0.45, 1.0)), rates)
            held += abs(found.inertia - 0.45) <= found.half_width
        self.assertGreater(held, 180)

    def test_a_coast_down_at_two_loads_is_the_same_sum(self):
        load, drag = 60.0, 25.0
        bare, loaded = -drag / 0.5 * 30 / np.pi, -(drag + load) / 0.5 * 30 / np.pi
        found = inertia.from_two_rates((np.zeros(20), np.full(20, load)), (np.full(20, bare), np.full(20, loaded)))
        self.assertAlmostEqual(found.inertia, 0.5, places=6)

    def test_rates_that_hardly_differ_and_too_few_bins_are_refused(self):
        near = np.full(len(ENGINE), 330.0)
        with self.assertRaisesMessage(ValueError, "too near"):
            inertia.from_two_rates((ENGINE, ENGINE), (np.full(len(ENGINE), 300.0), near))
        with self.assertRaisesMessage(ValueError, "at least 8"):
            inertia.from_two_rates((ENGINE[:4], ENGINE[:4]), (near[:4], near[:4] * 2))
        with self.assertRaisesMessage(ValueError, "must fall"):
            inertia.from_coast_down(np.full(9, 5.0), np.full(9, 5.0))
