"""Whatever a sheet holds within its limits: no figure is anything but a finite number or a reason."""

import math

from django.test import SimpleTestCase
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from torvix_core.engine import figures, variations
from torvix_core.engine.dimensions import SHEET, Dimension, Measure, Slot, part_dimensions
from torvix_core.engine.evidence import Evidence, Origin, agree, settle
from torvix_core.engine.findings import find
from torvix_core.engine.sheet import BuildSheet, Missing
from torvix_core.engine.stack import Limits, StackPart, changes, check_fairness, check_fit, difference
from torvix_core.units import quantities
from torvix_core.units.quantity_parser import read_quantity

from ops.effort import effort


def values(dimension: Dimension) -> st.SearchStrategy[float | str]:
    if dimension.measure == Measure.CHOICE:
        return st.sampled_from([value for value, _ in dimension.choices])
    if dimension.measure == Measure.WORDS:
        return st.text(min_size=1, max_size=12)
    if dimension.measure == Measure.COUNT:
        return st.integers(int(dimension.low), int(dimension.high)).map(float)
    return st.floats(dimension.low, dimension.high)


ORIGINS = st.sampled_from(list(Origin))
LINES = st.fixed_dictionaries({}, optional={key: st.tuples(values(one), ORIGINS) for key, one in SHEET.items()})
PARTS = st.sampled_from(list(Slot)).flatmap(
    lambda slot: st.builds(
        StackPart,
        slot=st.just(slot),
        name=st.sampled_from(["a", "b", "c"]),
        values=st.fixed_dictionaries({}, optional={key: values(one) for key, one in part_dimensions(slot).items()}),
        made_from=st.sampled_from(["", "a"]),
        modification=st.sampled_from(["", "cut"]),
        matched_to=st.sampled_from(["", "a"]),
    )
)
STACKS = st.lists(PARTS, max_size=6)


def sheet(lines: dict) -> BuildSheet:
    return BuildSheet({key: settle([Evidence(origin, value)]) for key, (value, origin) in lines.items()})


def show(dimension: Dimension, value: float | str) -> str:
    return value if isinstance(value, str) else f"{value:g}"


LARGE = [HealthCheck.too_slow, HealthCheck.data_too_large]  # a whole sheet is a large example


class AnySheet(SimpleTestCase):
    @settings(
        max_examples=effort(120),
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    )
    @given(LINES)
    def test_every_figure_is_a_finite_number_or_says_why_not(self, lines):
        of = sheet(lines)
        found = figures.work_out(of)
        for figure in found:
            if figure.amount is None:
                self.assertTrue(figure.missing or figure.refused, figure.rule.key)
                continue
            numbers = [figure.amount.value, figure.amount.low, figure.amount.high]
            self.assertTrue(any(number is not None for number in numbers), figure.rule.key)
            self.assertTrue(all(number is None or math.isfinite(number) for number in numbers), figure.rule.key)
            if figure.amount.low is not None and figure.amount.high is not None:
                self.assertLessEqual(figure.amount.low, figure.amount.high, figure.rule.key)
        for finding in find(of, found):
            self.assertTrue(finding.text)
            self.assertNotIn("nan", finding.text)

    @settings(
        max_examples=effort(60), deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
    )
    @given(LINES)
    def test_a_figure_names_as_assumed_exactly_the_assumed_values_it_read(self, lines):
        assumed = {key for key, (_, origin) in lines.items() if origin is Origin.ASSUMED}
        for figure in figures.work_out(sheet(lines)):
            if figure.amount is not None:
                self.assertEqual(set(figure.assumed), set(figure.rests_on) & assumed, figure.rule.key)
                self.assertLessEqual(set(figure.rests_on), set(lines))

    @settings(
        max_examples=effort(60), deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large]
    )
    @given(LINES, st.floats(-20, 20))
    def test_the_tables_answer_or_name_what_is_missing(self, lines, degrees):
        of = sheet(lines)
        for table in (variations.airflow_by_speed, lambda of: variations.advance_steps(of, [0.0, degrees])):
            try:
                table(of)
            except Missing as lacking:
                self.assertTrue(lacking.keys)
            except ValueError as refused:
                self.assertTrue(str(refused))

    @settings(max_examples=effort(60), deadline=None)
    @given(st.lists(st.tuples(ORIGINS, st.floats(0.001, 0.002)), max_size=5, unique_by=lambda one: one[0]))
    def test_what_is_settled_is_one_of_what_was_written_or_nothing(self, told):
        evidence = [Evidence(origin, value) for origin, value in told]
        found = settle(evidence)
        if found.value is None:
            known = [one for one in evidence if one.origin is not Origin.ASSUMED]
            self.assertTrue(not told or any(not agree(one.value, known[0].value) for one in known))
        else:
            self.assertIn((found.origin, found.value), told)


class AnyStack(SimpleTestCase):
    @settings(
        max_examples=effort(150),
        deadline=None,
        suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
    )
    @given(STACKS, STACKS)
    def test_differences_are_none_only_where_no_slot_changed(self, one, other):
        told = difference(one, other, show)
        self.assertEqual(bool(told), changes(one, other) > 0)
        self.assertEqual(changes(one, other), changes(other, one))
        for check in (*check_fit(one, Limits(0.2, must_look_stock=True), show), *check_fairness(one, other, show)):
            self.assertTrue(check.text)


class UnitSystems(SimpleTestCase):
    @settings(max_examples=effort(80), deadline=None)
    @given(st.floats(60, 110), st.floats(60, 110), st.floats(20, 90), st.floats(0.5, 3))
    def test_the_same_engine_in_inches_and_in_millimetres_has_the_same_ratio(self, bore, stroke, chamber, gasket):
        def ratio(lengths: str, volumes: str) -> float:
            def in_unit(si: float, measure: str, unit: str) -> float:
                text = f"{float(quantities.from_si(si, unit))!r} {unit}"
                return read_quantity(text, measure, unit).value

            told = {
                "bore": in_unit(bore / 1000, "length", lengths), "stroke": in_unit(stroke / 1000, "length", lengths),
                "gasket_bore": in_unit((bore + 1) / 1000, "length", lengths),
                "gasket_thickness": in_unit(gasket / 1000, "length", lengths),
                "deck_clearance": 0.0, "chamber_volume": in_unit(chamber / 1e6, "volume", volumes),
            }  # fmt: skip
            of = sheet({key: (value, Origin.MEASURED) for key, value in told.items()})
            return next(one for one in figures.work_out(of) if one.rule.key == "static_ratio").amount.value

        self.assertAlmostEqual(ratio("mm", "cm³"), ratio("in", "in³"), places=9)
