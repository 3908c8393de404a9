"""./torvix rebuild: curves that an older core made are made anew by the job workers; this tells how far they are."""

from __future__ import annotations

import time
from argparse import ArgumentParser
from typing import Any

from django.core.management import BaseCommand, CommandError
from django.utils import timezone
from torvix_core import VERSION
from torvix_core.units import grammar

from curves.reduction import rebuild
from jobs import service as jobs
from jobs.models import OVER, Job, JobState
from shop.models import Person, Role

LOOK_S = 0.5


class Command(BaseCommand):
    help = "Make curves anew that an older core made; raw samples are never touched. Stopped, it goes on the next time."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--check", action="store_true", help="only say what would differ, and by how much")
        what_for = "only the pull of this number in the browser's address, whatever made its curve"
        parser.add_argument("--only", type=int, metavar="N", help=what_for)

    def handle(self, check: bool, only: int | None, **_: Any) -> None:
        count = rebuild.outdated(only).count()
        if not count:
            if only is not None:
                raise CommandError(f"there is no complete pull {only}; its number stands in the address of its page")
            self.stdout.write(f"Every curve is of core {VERSION}: nothing to do.")
            return
        owner = Person.objects.filter(role=Role.OWNER, is_active=True).order_by("pk").first()
        if owner is None:
            raise CommandError("the shop has no owner yet: start ./torvix serve and set it up first")
        subject = "check" if check else "rebuild"
        about = f"pull {only}" if only is not None else grammar.counted(count, "pull")
        asked = {"check": check, "only": only}
        job = jobs.ask(owner, rebuild.KIND, subject, asked, timezone.now(), about=about)
        try:
            self._follow(job)
        except KeyboardInterrupt:
            jobs.stop(owner, Job.objects.get(pk=job.pk))
            raise CommandError("stopped; what was made anew stays so. Run it again to go on") from None
        self._report(Job.objects.get(pk=job.pk), check)

    def _follow(self, job: Job) -> None:
        printed = ""
        while True:
            job.refresh_from_db()
            text = job.lost(timezone.now()) or job.progress_text
            if text != printed:
                self.stdout.write(text)
                self.stdout.flush()
                printed = text
            if job.state in OVER:
                return
            jobs.sweep(timezone.now())
            time.sleep(LOOK_S)

    def _report(self, job: Job, check: bool) -> None:
        if job.state != JobState.DONE or job.result is None:
            raise CommandError(f"not finished: {job.progress_text or 'it was stopped'}. Run it again to go on")
        found = job.result
        verb = "would differ" if check else "differ from before"
        self.stdout.write(f"{found['looked_at']} curves by core {found['version']}; {found['differ']} {verb}.")
        for one in found["listed"]:
            by = f"by {one['percent']:.3g} % of the torque at {one['speed_rpm']:.0f} rpm" if one["percent"] else ""
            what = "; ".join(text for text in (one["text"], by) if text)
            made = f", made by core {one['version']}" if one["version"] else ""
            self.stdout.write(f"  pull {one['pull']} ({one['question']} Pull {one['number']}{made}): {what}")
        if more := found["differ"] - len(found["listed"]):
            self.stdout.write(f"  and {more} more")
