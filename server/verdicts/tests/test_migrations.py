"""A database of the Torvix before rows and columns took the place of JSON: there and back, the verdict is the same."""

import scenes
from django.db import connection
from django.db.migrations.executor import MigrationExecutor
from torvix_core.air.standards import Standard
from torvix_core.engine.dimensions import Slot

from curves.models import Reduced
from demo.tests.loaded import CopyCase
from engines.models import Part
from shop.models import Role
from stand.models import Pull, PullSetting
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice

BEFORE = [
    ("jobs", "0001_initial"), ("engines", "0006_archive"), ("programmes", "0009_archive_and_customers"),
    ("stand", "0016_notes_put_aside"), ("curves", "0003_files_and_comparability"),
    ("verdicts", "0001_what_a_verdict_rests_on"),
]  # fmt: skip


class BeforeRowsAndColumns(CopyCase):
    def setUp(self):
        self.operator = scenes.person(Role.OPERATOR)
        self.programme = scenes.programme(self.operator)
        scenes.day_of_pulls(self.programme, self.operator, ((1.0, 1.002), (1.01, 1.013), (0.99, 0.992)))
        pull = Pull.objects.first()
        PullSetting.objects.create(pull=pull, key="setting:jets", text="76/80")
        Pull.objects.filter(pk=pull.pk).update(held_speeds=[[3000.0, 4.0], [4000.0, 2.5]])
        Part.objects.filter(pk=Part.objects.first().pk).update(slot=Slot.CARBURETOR)

    def said(self) -> tuple:
        """Everything that goes over: the verdict, and what a pull and its curve have."""
        standard = Standard.ISO_1585_SI
        judged = judging.judge(compare(self.programme, standard), Choice(standard))
        curves = [
            (row.means.keys(), [mean.tolist() for mean in row.means.values()], row.cut, row.findings.count(),
             [(odd.kind, odd.size, odd.evidence) for odd in row.anomalies.all()])
            for row in Reduced.objects.order_by("pull")
        ]  # fmt: skip
        pull = Pull.objects.order_by("pk").first()
        return (
            [(placing.score, placing.chance_best) for placing in judged.placings], judged.power.tolist(), curves,
            pull.settings_in_force, pull.held_speeds, pull.active_limits, pull.start_values,
            sorted(Part.objects.values_list("slot", flat=True)),
        )  # fmt: skip

    def test_all_that_was_in_json_comes_over_to_the_last_digit(self):
        now = self.said()
        latest = list(MigrationExecutor(connection).loader.graph.leaf_nodes())
        executor = MigrationExecutor(connection)
        executor.migrate(BEFORE)
        old = MigrationExecutor(connection).loader.project_state(BEFORE).apps
        reduced = old.get_model("curves", "Reduced").objects.order_by("pull_id").values("means", "cut").first()
        self.assertEqual(reduced["cut"]["start_by"], "rate")
        self.assertGreater(len(reduced["means"]), 1)
        pull = old.get_model("stand", "Pull").objects.order_by("pk").values("set_to", "holds", "channel_list").first()
        self.assertEqual((pull["set_to"], pull["holds"]), ({"setting:jets": "76/80"}, [[3000.0, 4.0], [4000.0, 2.5]]))
        self.assertEqual(pull["channel_list"], [list(channel) for channel in scenes.CHANNELS])
        self.assertTrue(old.get_model("engines", "Part").objects.filter(slot="carburettor").exists())

        MigrationExecutor(connection).migrate(latest)
        self.assertEqual(self.said(), now)
