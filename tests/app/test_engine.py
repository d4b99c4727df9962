"""Measuring on this machine and on a dask scheduler: the same bits, whatever dies on the way."""

import contextlib
import io
import os
import random
import signal
import threading
from dataclasses import dataclass
from pathlib import Path
from unittest import mock

from distributed import LocalCluster

from guardia.app.camera.makes import capability_data
from guardia.app.intake.importing import ImportRequest, import_clips
from guardia.app.intake.looking import FirstTask, first_look
from guardia.app.scripted.offline import analyse_files
from guardia.app.work.engine import Cluster, engine
from guardia.app.work.jobs import Token
from guardia.cli import main
from guardia.core.base.errors import Cancelled, InvalidValue, ProjectError
from guardia.core.evidence.clips import Clip, Origin
from guardia.core.make.settings import Settings
from guardia.store.project import Project
from guardia.store.records import Site
from tests.support import FolderCase, steady, write_clip


@dataclass(frozen=True)
class Killing:
    """A task that ends its process when the file says so."""

    path: Path


def kill_or_read(task: Killing) -> bytes:
    content = task.path.read_bytes()
    if content == b"die":
        os.kill(os.getpid(), signal.SIGKILL)
    return content


class Engines(FolderCase):
    def clips(self, count):
        folder = self.folder / "clips"
        folder.mkdir()
        return [write_clip(folder / f"g_202609{n + 1:02}_080000.mp4", steady(2 + 0.2 * n, 5)) for n in range(count)]

    def project(self, name):
        folder = self.folder / name
        with Project(folder, create=True, site=Site("Yard", "UTC")) as project:
            make = "polygon-mains-camera"
            project.cameras.add("Gate", capability_data(make), Settings.of(make, "5"))
        return folder

    def measured(self, folder):
        with Project(folder) as project:
            clips = project.clips.of(1, analysed=True)
            traces = {c.name: project.measurements.trace(c.id) for c in clips}
            occurrences = [(o.start_s, o.end_s) for o in project.evidence(1).occurrences]
        return {n: (t.times_s.tobytes(), t.dense().tobytes()) for n, t in traces.items()}, occurrences

    def bring_in(self, folder, files, cluster=None):
        request = ImportRequest(folder, 1, tuple(files), cluster=cluster)
        return import_clips(request, token=Token(), progress=lambda _p: None)

    def test_a_scheduler_of_separate_processes_gives_the_same_bits_while_its_workers_are_killed(self):
        files = self.clips(6)
        here, there = self.project("here"), self.project("there")
        self.bring_in(here, files)
        with LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1"
        ) as local:
            cluster = Cluster(local.scheduler_address)
            stop = threading.Event()

            def kill() -> None:
                chance = random.Random(1)
                for _ in range(2):
                    if stop.wait(0.7):
                        return
                    workers = [w for w in local.workers.values() if getattr(w, "pid", None)]
                    if workers:
                        with contextlib.suppress(ProcessLookupError):
                            os.kill(chance.choice(workers).pid, signal.SIGKILL)

            killer = threading.Thread(target=kill)
            killer.start()
            result = self.bring_in(there, files[::-1], cluster)
            stop.set()
            killer.join()
            self.assertEqual((result.added, result.analysed), (6, 6), result.notes)
            self.assertEqual(self.measured(there), self.measured(here))
            again = self.bring_in(there, files, cluster)
            self.assertEqual((again.added, again.analysed), (0, 0), "nothing is measured twice")
            broken = self.folder / "clips" / "broken.mp4"
            broken.write_bytes(b"nothing")
            both = [analyse_files([*files, broken], time_zone="UTC", cluster=c) for c in (None, cluster)]
            self.assertEqual(both[0], both[1])
            self.assertEqual(len(both[0]["skipped"]), 1)

    def test_a_decoder_that_dies_costs_one_clip_which_is_named(self):
        files = [self.folder / f"{n}.bin" for n in range(5)]
        for n, path in enumerate(files):
            path.write_bytes(b"die" if n == 2 else b"sound")
        with engine() as own:
            answers = []
            for path in files:
                try:
                    answers.append(own.submit(kill_or_read, Killing(path)).result())
                except Exception as error:
                    self.assertTrue(own.died(error))
                    own.renew()
                    answers.append(None)
        self.assertEqual(answers, [b"sound", b"sound", None, b"sound", b"sound"])

    def test_a_clip_that_is_being_decoded_is_given_up_once_nobody_wants_it(self):
        clip = write_clip(self.folder / "a.mp4", steady(4, 10))
        task = FirstTask(Clip(1, "a.mp4", 0.0, 4.0, Origin.MOTION), clip, None)
        with engine() as pool:
            self.assertEqual(pool.submit(first_look, task).result().trace.frames, 20)
            pool.stop()
            with self.assertRaises(Cancelled):
                pool.submit(first_look, task).result()

    def test_an_address_that_is_none_or_does_not_answer_is_said_and_nothing_is_sent(self):
        for address in ("", "10.0.0.5", "tcp://name", "file://x:1", "tcp://:x"):
            with self.subTest(address), self.assertRaises(InvalidValue):
                Cluster(address)
        with (
            mock.patch("guardia.app.work.engine.REACHED_WITHIN_S", 0.3),
            self.assertRaisesRegex(ProjectError, "cannot be reached"),
            engine(Cluster("tcp://127.0.0.1:9")),
        ):
            pass
        out = io.StringIO()
        with contextlib.redirect_stderr(out):
            self.assertEqual(main(["analyse", str(self.folder), "--cluster", "nowhere"]), 2)
        self.assertIn("no address of a scheduler", out.getvalue())
