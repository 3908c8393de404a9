"""The recorder that only writes files: one a sweep, growing under its own name while it runs."""

import csv
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from standin.over.files import FilesPublisher
from standin.over.publisher import Said
from standin.tests.test_server import ServerCase


class Recorded(ServerCase):
    async def test_a_sweep_is_a_file_and_half_of_it_is_there_while_it_runs(self):
        holder = TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        recorder = FilesPublisher(Path(holder.name))
        channels = tuple((name, unit) for name, unit, _ in self.server.stand.channels)
        await recorder.start(Said(channels, 50.0, 0.45))
        sizes: list[int] = []
        send = recorder.send

        async def sent(*samples: Any) -> None:
            await send(*samples)
            sizes.extend(path.stat().st_size for path in Path(holder.name).iterdir())

        recorder.send = sent  # type: ignore
        self.server.also = recorder
        client = await self.connect()
        await client.ask("arm", kind="sweep", start_rpm=2500, end_rpm=4500, rate_rpm_s=300)
        await client.ask("start")
        while (await client.next("state"))["state"] != "idle":
            pass
        await client.ask("skip", seconds=5)
        await recorder.stop()
        self.server.also = None
        self.assertGreater(len(set(sizes)), 3)  # whoever looks too early finds a part of it
        rows = list(csv.reader(Path(holder.name, "run 001.csv").read_text().splitlines()))
        self.assertEqual(rows[0][:3], ["time [s]", *(f"{name} [{unit}]" for name, unit in channels[:2])])
        speeds = [float(row[1]) for row in rows[1:]]
        self.assertGreater(max(speeds), 4400)
        self.assertEqual({len(row) for row in rows}, {len(channels) + 1})
        self.assertEqual(len(list(Path(holder.name).iterdir())), 1)
