"""The demonstration shows what it promises, and what the stand-in knows agrees with what the verdict says."""

import itertools

from torvix_core.air.standards import Standard
from torvix_core.guidelines.standing import Bearing, GuidelineState

from adapters import stand_map
from adapters.source_map import ModbusSource
from curves.reduction.nature import Nature
from demo import loader
from demo.tests.loaded import DemonstrationCase
from engines.models import Build, Part
from engines.sheet import sheets
from programmes.models import Programme
from shop.models import Person, Stand
from shop.permissions import units_of
from stand.idle_cards import service as idle_cards
from stand.instruments import service as instruments
from stand.models import Change, Note, Pull, PullState, Purpose, Standing, Tick
from stand.pulls.arming import bolted_on
from standin.engine import EIGHT, FOUR
from standin.stand import Stand as SimulatedStand
from verdicts.comparison import aligned_pulls
from verdicts.guidelines.evidence import gather
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice
from verdicts.models import Guideline, KnownScatter, Sheet
from verdicts.next_pulls.service import of_all


class Demonstration(DemonstrationCase):
    def setUp(self):
        self.finished = Programme.objects.get(question=loader.scenario()["programmes"][0]["question"])
        self.boosted = Programme.objects.get(question=loader.boosted()["programmes"][0]["question"])

    def test_boosted_days_were_run(self):
        first, second = self.boosted.sessions.order_by("opened_at")
        self.assertTrue(first.closed_at < second.opened_at)
        pulls = Pull.objects.filter(session__programme=self.boosted)
        counts = {
            letter: pulls.filter(setup__position=place, standing=Standing.ACCEPTED).count()
            for place, letter in enumerate("ABCDEFGHI")
        }
        self.assertEqual(counts, {"A": 4, "B": 2, "C": 2, "D": 2, "E": 4, "F": 2, "G": 2, "H": 2, "I": 2})
        self.assertEqual(pulls.filter(purpose=Purpose.WARM_UP, standing=Standing.EXCLUDED).count(), 11)
        stopped = pulls.get(tripped="knock")
        self.assertEqual((stopped.state, stopped.setup.letter), (PullState.ABORTED, "C"))
        self.assertIn("boost", dict(stopped.active_limits))
        cams = Change.objects.filter(session__programme=self.boosted, planned_min__gt=60)
        self.assertEqual(cams.count(), 3)
        measured = Tick.objects.filter(change__in=cams, item__asks="clearance")
        self.assertTrue(all(tick.values["intake"] == 0.002 for tick in measured))
        self.assertEqual(measured.count(), 3)

    def test_idle_swap_marks_and_instruments_are_on_record(self):
        jetted = Programme.objects.get(question=loader.eight()["programmes"][2]["question"])
        idle = idle_cards.of_setups(jetted, units_of(Person.objects.get(username="ines")))
        self.assertEqual(
            [text.split("; ")[-1] for text in idle.values()],
            ["pulls clean from low rpm", "hesitates at low rpm. Comes back after a few seconds"],
        )
        change = Change.objects.get(session__programme=jetted, after__position=1)
        self.assertEqual(change.gasket, "new, both sides")
        mark = Note.objects.get(pull__session__programme=self.finished, rpm__isnull=False)
        self.assertEqual((mark.rpm, mark.pull.setup.letter), (6120.0, "C"))
        self.assertRegex(instruments.torque_words(mark.session.stand, mark.at), r"^± 0\.\d\d %, by the span check")

    def test_boosted_leads_are_true(self):
        """Camshafts against each other at one boost, where the verdict says that it is sure."""
        judged = judging.judge(aligned_pulls.compare(self.boosted, Standard.ISO_1585_SI), Choice(Standard.ISO_1585_SI))
        scores = {placing.setup: placing.score for placing in judged.placings}
        truth = {}
        for place, setup in enumerate(self.boosted.setups.all()):
            stand = SimulatedStand(engine=FOUR)
            stand.command("fit", bolted_on(self.boosted, setup))
            speeds = [float(rpm) for rpm in range(3400, 7100, 100)]
            truth[place] = judged.duty_mean(stand.truth(speeds, skin=46.0), speeds)
        for boost in range(3):
            cams = [place for place in range(9) if place % 3 == boost]
            for one, other in itertools.permutations(cams, 2):
                if truth[one] > 1.01 * truth[other]:  # a smaller difference is within the scatter of two pulls
                    self.assertGreater(scores[one], scores[other], (one, other))

    def judged(self, programme: Programme) -> judging.Judgment:
        return judging.judge(aligned_pulls.compare(programme, Standard.ISO_1585_SI), Choice(Standard.ISO_1585_SI))

    def test_steps_are_true(self):
        """Each step that the verdict calls has the direction that the stand-in alone knows; so has the wash."""
        programme = Programme.objects.get(question=loader.eight()["programmes"][0]["question"])
        found = self.judged(programme)
        speeds = [float(rpm) for rpm in range(2400, 5500, 100)]
        truth = []
        for setup in programme.setups.all():
            stand = SimulatedStand(engine=EIGHT)
            stand.command("fit", bolted_on(programme, setup))
            truth.append(found.duty_mean(stand.truth(speeds, skin=46.0), speeds))
        called = 0
        for one, other in itertools.permutations(range(4), 2):
            gap = found.fitted.difference(one, other)
            actual = truth[one] / truth[other] - 1
            self.assertTrue(float(gap.low) - 0.003 < actual < float(gap.high) + 0.003, (one, other, actual, gap))
            called += bool(gap.apart())
        self.assertGreaterEqual(called, 4)
        self.assertEqual(programme.decisions.get().setup.letter, "C")
        sheet = Sheet.objects.get(programme=programme)
        self.assertEqual((sheet.number, sheet.links.count()), (1, 1))

    def test_gasket_is_a_wash(self):
        programme = Programme.objects.get(question=loader.eight()["programmes"][1]["question"])
        found = self.judged(programme)
        self.assertIsNone(found.winner)
        known = KnownScatter.objects.get(programme=programme)
        self.assertEqual((known.programmes, known.of_stand), (1, False))
        self.assertIsNone(programme.decisions.get().setup)

    def test_shelf_was_brought_in(self):
        shelf = Programme.objects.get(question=loader.scenario()["programmes"][-1]["question"])
        pulls = Pull.objects.filter(session__programme=shelf)
        self.assertEqual([pull.origin for pull in pulls.order_by("number")], ["file"] * 5 + ["typed"])
        compared = aligned_pulls.compare(shelf, Standard.ISO_1585_SI)
        self.assertEqual([found.pull.number for found in compared.kept], [1, 2, 3, 4, 6])
        self.assertIn("A cold pull, so not counted: Pull 5: coolant colder than usual in its session.", compared.notes)

    def test_earlier_seasons_speak_of_the_guidelines(self):
        """Four engines of which the stand-in made longer runners worth something, and one of which it did not."""
        torque = Guideline.objects.get(measure="torque", slot="intake_manifold")
        (found,) = gather(Person.objects.get(username="ines"), [torque])
        self.assertEqual([len(found.counted), found.bearing(Bearing.AGAINST)], [5, 1])
        self.assertGreaterEqual(found.bearing(Bearing.FOR), 3)
        (sedan,) = [one for one in of_all(Person.objects.get(username="ines")).rows if one.visits]
        self.assertIn("sedan", sedan.programme.build.engine.name)
        self.assertIs(found.state, GuidelineState.ON_AVERAGE)
        self.assertLess(found.pooled.next_low, 0)
        self.assertEqual(set(found.apart), {Nature.FIGURES, Nature.SIMULATED})
        self.assertEqual(torque.explanations.count(), 2)

    def test_holds_what_is_promised(self):
        pulls = Pull.objects.filter(session__programme=self.finished)
        standings = [pulls.filter(standing=standing).count() for standing in (Standing.ACCEPTED, Standing.EXCLUDED)]
        self.assertEqual(standings, [9, 2])
        self.assertTrue(all(pull.excluded_reason for pull in pulls.filter(standing=Standing.EXCLUDED)))
        planned = Programme.objects.filter(sessions__isnull=True, practice__isnull=True)
        self.assertEqual(planned.count(), 2)
        self.assertIsNotNone(self.finished.sessions.get().closed_at)
        self.assertIn("Shake-down", pulls.get(number=1).override_reason)

    def test_engine_is_on_paper(self):
        first, second = Build.objects.filter(engine=self.finished.build.engine).order_by("revision")
        self.assertIsNotNone(first.used_at)
        pulls = Pull.objects.filter(session__programme=self.finished)
        self.assertEqual({pull.build for pull in pulls.select_related("build")}, {first})
        worked = {figure.rule.key: figure for figure in sheets.work_out(sheets.sheet_of(first)).figures}
        self.assertEqual(worked["static_ratio"].assumed, ("gasket_thickness",))
        self.assertAlmostEqual(worked["static_ratio"].amount.value, 10.4, delta=0.2)
        worked = {figure.rule.key: figure for figure in sheets.work_out(sheets.sheet_of(second)).figures}
        self.assertEqual(worked["static_ratio"].assumed, ())
        self.assertIn(self.finished.sessions.get().weather.filter(struck_at__isnull=False).count(), [1])
        self.assertGreater(self.finished.sessions.get().weather.filter(source="stand").count(), 4)
        child = Part.objects.get(parent__name="Middle-runner manifold")
        self.assertEqual(child.amount, "60 mm")

    def test_a_stand_has_its_commands_mapped_and_waits_for_the_run_that_lets_it_take_them(self):
        given = loader.scenario()["mapped_stand"]
        stand = Stand.objects.get(name=given["name"])
        found = stand_map.read(stand.map)
        source = found.sources[0]
        assert isinstance(source, ModbusSource)
        self.assertEqual(source.port, given["server_port"])
        self.assertIsNotNone(found.control)
        self.assertFalse(found.has_conformed)

    def test_loads_once(self):
        before = Pull.objects.count()
        self.assertFalse(loader.load())
        self.assertEqual(Pull.objects.count(), before)

    def test_loading_that_was_cut_off_is_told(self):
        Person.objects.filter(username="ines").update(username="kept")
        Person.objects.create_user("ines")
        Programme.objects.filter(sessions__isnull=True).delete()
        with self.assertRaisesMessage(loader.LoadFailed, "there only in part"):
            loader.load()

    def test_leads_called_are_true(self):
        """The stand-in alone knows what the manifolds are worth; each called lead must be true at its middle."""
        compared = aligned_pulls.compare(self.finished, Standard.ISO_1585_SI)
        leads, crossovers = aligned_pulls.strip(compared, compared.curves())
        lengths = [
            sheets.values(setup.parts.get(slot="intake_manifold").readings.all())["runner_length"]
            for setup in compared.setups
        ]

        def true_torque(length: float, rpm: float) -> float:
            stand = SimulatedStand()
            part = {"slot": "intake_manifold", "name": "Long-runner manifold", "values": {"runner_length": length}}
            stand.command("fit", {"label": str(length), "parts": [part]})
            return stand.truth([rpm], density=1.15, skin=46.0)[0]

        called = [lead for lead in leads if lead.alone]
        self.assertGreaterEqual(len(called), 3)
        for lead in called:
            middle = (lead.low_rpm + lead.high_rpm) / 2
            truth = [true_torque(length, middle) for length in lengths]  # type: ignore[arg-type]
            self.assertEqual(truth.index(max(truth)), lead.leaders[0])
        self.assertGreaterEqual(len(crossovers), 2)
        for cross in crossovers:
            for setup, other, rpm in ((cross.before, cross.after, cross.speed_rpm - 500),
                                      (cross.after, cross.before, cross.speed_rpm + 500)):  # fmt: skip
                more, less = (true_torque(lengths[one], rpm) for one in (setup, other))  # type: ignore[arg-type]
                self.assertGreater(more, less)
        self.assertEqual(Part.objects.listed().filter(slot="intake_manifold").count(), 17)
