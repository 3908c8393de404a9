"""At the stand, in the browser: pulls, limits, gates, lost stands, and a whole short day."""

import re

from playwright.sync_api import expect
from torvix_core.air.standards import Standard
from torvix_core.units import quantities

from browser_tests.at_the_stand import (
    HILL_CLIMB,
    TRUMPETS,
    arm,
    hold_to_start,
    keep,
    open_session,
    pull,
    ready,
    see_to_everything,
)
from browser_tests.case import StandCase, home, pick, sign_in
from programmes.models import Programme
from stand.models import Note, Pull, PullState
from verdicts.comparison.aligned_pulls import compare
from verdicts.judging import service as judging
from verdicts.judging.choice import Choice

SLOW = 0.5  # a sweep takes half a minute: time for what has to happen within it


class Case(StandCase):
    def setUp(self) -> None:
        super().setUp()
        self.hill_climb = Programme.objects.get(question=HILL_CLIMB)
        self.trumpets = Programme.objects.get(question=TRUMPETS)


class ShortDay(Case):
    def test_two_setups_there_and_back_with_all_that_happens_in_between(self):
        with self.browser() as page:
            sign_in(page)
            open_session(page, self.trumpets.pk)
            expect(page.get_by_role("button", name=re.compile("Setup fitted"))).to_be_disabled()
            see_to_everything(page)

            # A: the first pull only warms the part; two that count overlay.
            pull(page)
            expect(page.get_by_test_id("after-pull")).to_contain_text("Warm-up pull")
            pull(page)
            keep(page)
            pull(page)
            expect(page.get_by_test_id("repeats")).to_contain_text(re.compile(r"Pull 3 against pull 2, at worst"))
            keep(page)

            # To B, by the stopwatch; what lies open is listed, and nothing is armed before it is seen to.
            panel = page.get_by_test_id("before-pull")
            expect(panel).to_contain_text("Middle-runner manifold with 60 mm trumpets")
            expect(page.get_by_test_id("stopwatch")).to_have_text("17:00")
            page.keyboard.press("c")
            expect(page.get_by_test_id("stopwatch")).to_contain_text(re.compile(r"0:\d\d of"))
            expect(page.get_by_role("button", name=re.compile("Setup fitted"))).to_be_disabled()
            see_to_everything(page)
            notes = page.get_by_test_id("notes")
            pick(notes, "What was noticed", "Seen")
            page.keyboard.press("n") if page.evaluate("document.activeElement.tagName") == "BODY" else None
            notes.get_by_label("Note", exact=True).fill("Gasket came off whole")
            notes.get_by_role("button", name="Add note").click()
            expect(notes).to_contain_text("Seen: Gasket came off whole")
            pull(page)
            expect(page.get_by_test_id("after-pull")).to_contain_text("Warm-up pull")

            # A limit stops the next; nothing of it counts.
            arm(page)
            self.tell_stand("fault", channel="coolant_temperature", kind="reads", value=118)
            expect(page.get_by_test_id("stopped")).to_contain_text("coolant 118 °C, above 110 °C")
            self.tell_stand("fault", channel="coolant_temperature", kind=None)
            expect(page.get_by_test_id("headline")).to_contain_text("Next: B")

            # It does not start at once: it is started by the list, and flooded fuel is wiped up.
            pick(notes, "What was noticed", "Failed start")
            notes.get_by_role("button", name="Add note").click()
            expect(panel).to_contain_text("Spilled fuel wiped up, vapor gone")
            expect(panel).to_contain_text("Starter clear, nobody in the plane of rotation")
            expect(page.get_by_role("button", name=re.compile("Setup fitted"))).to_be_disabled()
            see_to_everything(page)

            # How it idles, as the stand reads it, and what is in the tank.
            page.get_by_role("button", name="Idle card of B").click()
            idle = page.get_by_test_id("idle-card")
            idle.get_by_role("button", name="Read from the stand").click()
            expect(idle.get_by_label("Speed")).to_have_value(re.compile(r"^1[01]\d\d$"))
            pick(idle, "Return to idle", "hangs above idle")
            idle.get_by_role("button", name="Save card").click()
            expect(idle).to_contain_text(re.compile(r"Idles at 1[01]\d\d rpm.*; hangs above idle"))
            tank = page.get_by_test_id("tank")
            tank.get_by_text(re.compile("in the tank|Tank filled")).last.click()
            tank.get_by_label("In the tank now").fill("full")
            tank.get_by_role("button", name="Save").click()
            expect(tank).to_contain_text("full")
            tank.get_by_role("button", name="Cancel").click()

            # A gate holds until somebody says why; that pull is left out afterwards.
            self.tell_stand("fault", channel="inlet_temperature", kind="reads", value=45)
            page.get_by_role("button", name=re.compile("Setup fitted")).click()
            expect(page.get_by_role("button", name="Waiting for inlet air")).to_be_visible()
            page.get_by_role("button", name="Override and start").click()
            page.get_by_label("Reason to start outside a window").fill("The sensor lies on the header")
            page.get_by_label("Reason to start outside a window").blur()
            hold_to_start(page)
            expect(page.get_by_test_id("headline")).to_contain_text("Accept it?")
            self.tell_stand("fault", channel="inlet_temperature", kind=None)
            page.keyboard.press("x")
            dialog = page.get_by_role("dialog")
            dialog.get_by_label("Reason").fill("Inlet air not measured")
            dialog.get_by_role("button", name="Exclude").click()
            expect(page.get_by_test_id("headline")).to_contain_text("Next: B")

            # The browser goes away in the middle of a slow pull, and finds the whole curve when it is back.
            page.get_by_test_id("pull-options").locator("button[aria-expanded]").click()
            page.get_by_label("Sweep rate").fill("300")
            arm(page)
            self.pace(SLOW)
            hold_to_start(page)
            expect(page.locator('[data-channel="rpm"]')).to_have_text(re.compile(r"^[3-6]\d\d\d$"))
            page.reload(wait_until="domcontentloaded")
            expect(page.locator(".live-chart")).not_to_have_attribute("data-filled", "0")
            page.keyboard.press("f")  # a flash, with the speed of that moment
            expect(page.get_by_test_id("marks")).to_contain_text(re.compile(r"Flash at \d{4} rpm"))
            self.pace(self.speed)
            keep(page)
            expect(notes).to_contain_text(re.compile(r"Seen: Marked at \d{4} rpm\."))
            pull(page)
            keep(page)

            # Back to A before the third of B, so that what the day itself did is known.
            page.get_by_role("group", name="Setup to pull next").get_by_text("Middle runner").click()
            expect(page.get_by_test_id("headline")).to_contain_text("Next: A")
            see_to_everything(page)
            pull(page)
            pull(page)
            keep(page)
            page.goto(f"/programmes/{self.trumpets.pk}/verdict", wait_until="domcontentloaded")
            expect(page.get_by_test_id("sentence")).to_contain_text("For the street")
            expect(page.get_by_label("From, rpm")).to_have_value("2600")
        made = list(Pull.objects.filter(session__programme=self.trumpets).order_by("number"))
        told = "".join(f"{pull.setup.letter}{pull.standing[0]}" for pull in made)
        self.assertEqual(told, "AeAaAaBeBuBeBaBaAeAa")
        self.assertEqual([pull.number for pull in made if pull.tripped], [5])
        self.assertEqual(made[5].override_reason, "The sensor lies on the header")
        change = made[0].session.changes.get(after__position=1)
        self.assertIsNotNone(change.ended_at)
        self.assertEqual((change.planned_min, change.ticks.count()), (17.0, 6))
        mark = Note.objects.filter(session__programme=self.trumpets).exclude(rpm=None).get()
        self.assertEqual((mark.kind, mark.pull.number), ("seen", 7))
        self.assertTrue(2000 < mark.rpm < 7000)
        self.assertEqual(self.problems, [])


class AtTheStand(Case):
    def test_a_pull_made_in_the_browser_and_kept_changes_the_verdict(self):
        before = judging.judge(compare(self.hill_climb, Standard.ISO_1585_SI), Choice(Standard.ISO_1585_SI))
        with self.browser() as page:
            sign_in(page)
            home(page)
            page.get_by_role("link", name=HILL_CLIMB).click()
            page.get_by_role("link", name=re.compile("^Verdict")).click()
            row = page.get_by_role("row", name=re.compile("Short runner"))
            expect(row.get_by_role("cell").nth(1)).to_have_text("3")

            open_session(page, self.hill_climb.pk)
            page.get_by_role("group", name="Setup to pull next").get_by_text("Short runner").click()
            expect(page.get_by_test_id("before-pull")).to_contain_text("Short-runner manifold")
            see_to_everything(page)
            arm(page)
            hold_to_start(page)
            expect(page.locator(".live-chart")).not_to_have_attribute("data-painted", "0")
            keep(page)

            page.goto(f"/programmes/{self.hill_climb.pk}/verdict", wait_until="domcontentloaded")
            expect(row.get_by_role("cell").nth(1)).to_have_text("4")
            shown = row.get_by_role("cell").nth(2).inner_text()
            page.get_by_text("come from 2 sessions").wait_for()
        after = judging.judge(compare(self.hill_climb, Standard.ISO_1585_SI), Choice(Standard.ISO_1585_SI))
        # A pull more, and a day more to be taken out; setups, days, line and what a change leaves take the rest.
        self.assertEqual([found.fitted.own_degrees for found in (before, after)], [4, 4])
        self.assertEqual(after.fitted.counts.tolist(), [3, 3, 4])
        placing = next(placing for placing in after.placings if placing.setup == 2)
        self.assertEqual(shown, f"{float(quantities.from_si(placing.score, 'lb-ft')):.1f}")
        pull = Pull.objects.get(session__programme=self.hill_climb, number=12)
        self.assertEqual((pull.state, pull.setup.letter, pull.judged_by.username), (PullState.COMPLETE, "C", "mats"))
        self.assertEqual(self.problems, [])

    def test_a_limit_stops_a_pull_and_the_owner_sets_another(self):
        with self.browser() as page:
            sign_in(page, "ines")
            ready(page, self.trumpets.pk)
            panel = page.get_by_test_id("limits")
            panel.locator("button[aria-expanded]").click()
            expect(panel).to_contain_text("Oil pressure")
            expect(panel.get_by_text("knock: no sensor on this stand, not monitored")).to_be_visible()
            expect(panel.get_by_role("row", name=re.compile("Over-speed"))).to_contain_text("above 7200 rpm (redline)")
            expect(panel.get_by_role("row", name=re.compile("Turbine"))).to_contain_text("NOT SET, not monitored")
            page.get_by_role("button", name="Change Coolant").click()
            panel.get_by_label("Coolant, value").fill("lukewarm")
            panel.get_by_role("button", name="Save").click()
            expect(panel).to_contain_text("is not a number")
            panel.get_by_label("Coolant, value").fill("104 °C")
            panel.get_by_role("button", name="Save").click()
            expect(panel.get_by_role("row", name=re.compile("Coolant"))).to_contain_text("above 104 °C")

            # A job that is begun holds the engine until it is closed.
            jobs = page.get_by_test_id("open-jobs")
            pick(jobs, "A job is begun", "Torque sequence, not through all stages")
            jobs.get_by_label("Note on the job").fill("stage 1 of 3")
            jobs.get_by_role("button", name="Block running until it is closed").click()
            page.get_by_role("button", name=re.compile("Setup fitted")).click()
            expect(page.get_by_text("Not armed while a job is open")).to_be_visible()
            jobs.get_by_role("button", name="Close this job").click()
            expect(jobs.get_by_role("listitem")).to_have_count(0)

            arm(page)
            self.tell_stand("fault", channel="coolant_temperature", kind="reads", value=107)
            stopped = page.get_by_test_id("stopped")
            expect(stopped).to_contain_text("Stopped by the limit: coolant 107 °C, above 104 °C")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")
            self.tell_stand("fault", channel="coolant_temperature", kind=None)
            arm(page)
            expect(stopped).to_have_count(0)
        stopped_pull = Pull.objects.filter(session__programme=self.trumpets).order_by("number")[0]
        self.assertEqual((stopped_pull.state, stopped_pull.tripped), (PullState.ABORTED, "coolant"))
        self.assertEqual(self.problems, [])

    def test_a_stand_that_vanishes_in_the_pull_is_told_and_nothing_is_lost(self):
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            arm(page)
            self.pace(SLOW)
            hold_to_start(page)
            expect(page.locator('[data-channel="rpm"]')).to_have_text(re.compile(r"^[3-6]\d\d\d$"))
            self.stop(self.stand)
            expect(page.get_by_test_id("stand-lost")).to_contain_text("nothing answers at 127.0.0.1")
            self.start_stand()
            expect(page.get_by_test_id("stand-lost")).not_to_be_visible()
            page.keyboard.press("4")
            expect(page.get_by_role("row", name=re.compile(r"^Look into pull 1 .* at \d+ rpm"))).to_contain_text(
                "Incomplete"
            )
        pull = Pull.objects.get(session__programme=self.trumpets)
        self.assertEqual(pull.state, PullState.INCOMPLETE)
        self.assertGreater(pull.channels.get(name="rpm").samples, 50)

    def test_a_cold_engine_holds_the_start_until_a_reason_is_given(self):
        self.trumpets.windows.filter(channel="oil_temperature").update(low=390.0, high=400.0)
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            page.keyboard.press("a")
            expect(page.get_by_role("button", name="Waiting for oil")).to_be_visible()
            expect(page.locator('[data-gate="oil_temperature"]')).to_have_attribute("data-side", "low")
            page.get_by_role("button", name="Override and start").click()
            page.get_by_label("Reason to start outside a window").fill("Throttle travel to be seen")
            page.get_by_label("Reason to start outside a window").blur()
            hold_to_start(page)
        self.assertEqual(Pull.objects.latest("pk").override_reason, "Throttle travel to be seen")


class TheList(Case):
    def test_the_owner_writes_the_list_and_the_next_session_asks_for_it(self):
        with self.browser() as page:
            sign_in(page, "ines")
            page.goto("/checklist", wait_until="domcontentloaded")
            page.get_by_role("button", name="Add line").first.click()
            page.get_by_role("button", name="Save", exact=True).click()
            expect(page.get_by_role("alert")).to_contain_text("give it a name")
            page.get_by_label("Checklist line", exact=True).fill("Dog out of the cell")
            page.get_by_role("button", name="Save", exact=True).click()
            expect(page.get_by_role("row", name=re.compile("Dog out of the cell"))).to_be_visible()
            page.get_by_role("button", name="Remove Wired emergency stop tried").click()
            expect(page.get_by_text("Wired emergency stop tried")).to_have_count(0)
        with self.browser() as page:
            sign_in(page)
            page.goto("/checklist", wait_until="domcontentloaded")
            expect(page.get_by_role("row", name=re.compile("Dog out of the cell"))).to_be_visible()
            expect(page.get_by_role("button", name="Add line")).to_have_count(0)
            open_session(page, self.trumpets.pk)
            panel = page.get_by_test_id("before-pull")
            expect(panel).to_contain_text("Dog out of the cell")
            expect(panel).not_to_contain_text("Wired emergency stop")
        self.assertEqual(self.problems, [])


class WebServerGone(Case):
    def test_a_web_server_killed_in_the_pull_loses_nothing_of_it(self):
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            arm(page)
            self.pace(SLOW)
            hold_to_start(page)
            expect(page.get_by_test_id("headline")).to_contain_text("running")
            web = StandCase.web
            assert web is not None
            web.kill()
            web.wait()
            expect(page.get_by_text("Live display interrupted; pulls are still recorded.")).to_be_visible()
            self.start_web()
            self.pace(self.speed)
            expect(page.get_by_test_id("after-pull")).to_contain_text("Warm-up pull")
        pull = Pull.objects.get(session__programme=self.trumpets)
        self.assertEqual((pull.state, pull.samples_lost), (PullState.COMPLETE, 0))
        self.assertGreater(pull.channels.get(name="rpm").samples, 700)


class Keys(Case):
    """Which key does what while a pull is armed or runs, wherever the focus is."""

    def test_escape_aborts_an_armed_pull_from_every_control_and_closes_nothing(self):
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            page.keyboard.press("?")
            expect(page.get_by_role("dialog")).to_be_visible()
            page.keyboard.press("Escape")
            expect(page.get_by_role("dialog")).to_have_count(0)
            for label in ("Note", "What was noticed"):
                with self.subTest(focus=label):
                    arm(page)
                    page.get_by_test_id("notes").get_by_label(label, exact=True).focus()
                    page.keyboard.press("Escape")
                    expect(page.get_by_test_id("headline")).to_contain_text("Next:")
            with self.subTest(focus="the help"):
                arm(page)
                page.keyboard.press("?")
                expect(page.get_by_role("dialog")).to_be_visible()
                page.keyboard.press("Escape")
                expect(page.get_by_role("dialog")).to_be_visible()
                expect(page.get_by_test_id("headline")).to_contain_text("Next:")
                expect(page.locator(".abort")).to_have_count(0)  # until the stand itself says idle, Esc is the abort
                page.keyboard.press("Escape")
                expect(page.get_by_role("dialog")).to_have_count(0)
        ended = list(Pull.objects.filter(session__programme=self.trumpets).values_list("state", "ended_why"))
        self.assertEqual(ended, [(PullState.ABORTED, "Disarmed before it began.")] * 3)

    def test_space_on_the_abort_button_aborts_and_escape_aborts_a_sweep_from_a_field(self):
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            arm(page)
            page.get_by_role("button", name=re.compile("^Abort")).focus()
            page.keyboard.down("Space")
            page.keyboard.up("Space")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")

            # With the focus on the button that is held, Enter starts as Space does.
            arm(page)
            self.pace(SLOW)
            page.get_by_role("button", name="Hold to start").focus()
            page.keyboard.down("Enter")
            expect(page.get_by_test_id("headline")).to_contain_text("running")
            page.keyboard.up("Enter")
            page.get_by_test_id("notes").get_by_label("Note", exact=True).focus()
            page.keyboard.press("Escape")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")
        ended = Pull.objects.filter(session__programme=self.trumpets).order_by("number")
        self.assertEqual([pull.ended_why for pull in ended], ["Disarmed before it began.", "Aborted by the operator."])
        self.assertEqual([pull.started_at is None for pull in ended], [True, False])


class Aborting(Case):
    def test_escape_aborts_and_a_silent_sensor_is_named(self):
        with self.browser() as page:
            sign_in(page)
            ready(page, self.trumpets.pk)
            self.tell_stand("fault", channel="air_flow", kind="silent")
            expect(page.get_by_test_id("faulty")).to_have_text("No valid signal: air flow")
            arm(page)
            self.pace(SLOW)
            hold_to_start(page)
            page.keyboard.press("Escape")
            expect(page.get_by_test_id("headline")).to_contain_text("Next:")
        pull = Pull.objects.get(session__programme=self.trumpets)
        self.assertEqual((pull.state, pull.ended_why), (PullState.ABORTED, "Aborted by the operator."))
