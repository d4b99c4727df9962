import threading
import unittest
from datetime import UTC, datetime

from PyQt6.QtTest import QSignalSpy

from guardia.app.import_plan import VIDEO_SUFFIXES, find_files, look_into
from guardia.app.importing import ImportRequest, import_clips
from guardia.app.job_runner import JobRunner
from guardia.app.jobs import Meter, Token
from guardia.app.makes import capability_data
from guardia.app.messages import MessageHub, Severity
from guardia.core.errors import Cancelled, InvalidValue
from guardia.core.evidence import Origin
from guardia.core.settings import Settings
from guardia.store.project import Project
from guardia.store.records import Site
from tests.support import FolderCase, scene, steady, write_clip
from tests.ui.support import APP


class Importing(FolderCase):
    def setUp(self):
        super().setUp()
        self.site = self.folder / "site"
        with Project(self.site, create=True, site=Site("Yard", "UTC")) as project:
            make = capability_data("polygon-mains-camera")
            self.camera = project.add_camera("Gate", make, Settings("polygon-mains-camera", "5"))

    def bring_in(self, *files, token=None, progress=lambda _p: None, **more):
        request = ImportRequest(self.site, self.camera, files, **more)
        return import_clips(request, token=token or Token(), progress=progress)

    def clips(self, count):
        return [
            write_clip(
                self.folder / f"g_20260907_08{n:02d}00.mp4", steady(2, 5), picture=lambda t, s=n: scene(t, seed=s)
            )
            for n in range(count)
        ]

    def test_a_stopped_import_keeps_what_is_finished_and_goes_on_later(self):
        token = Token()

        def stop_after_first(progress):
            if progress.what.startswith("Measuring"):
                token.cancel()

        files = self.clips(9)
        stopped = self.bring_in(*files, token=token, progress=stop_after_first)
        self.assertTrue(stopped.stopped)
        self.assertEqual(stopped.added, 9)
        self.assertTrue(1 <= stopped.analysed < 9)
        later = self.bring_in(*files)
        self.assertEqual((later.added, later.analysed), (0, 9 - stopped.analysed))
        with Project(self.site) as project:
            self.assertEqual(len(project.clips(self.camera, analysed=True)), 9)

    def test_a_start_given_by_hand_outranks_the_name_and_a_guess_is_told(self):
        (clip,) = self.clips(1)
        self.bring_in(clip, start=datetime(2026, 5, 1, 12, tzinfo=UTC))
        nameless = write_clip(self.folder / "clip.mp4", steady(2, 5), picture=lambda t: scene(t, seed=44))
        result = self.bring_in(nameless)
        self.assertIn("only a guess", result.notes[0])
        with Project(self.site) as project:
            self.assertIn(
                datetime(2026, 5, 1, 12, tzinfo=UTC).timestamp(), [c.start_s for c in project.clips(self.camera)]
            )

    def test_a_huge_file_that_is_no_video_is_named_at_once(self):
        huge = self.folder / "huge_20260907_120000.mp4"
        with huge.open("wb") as file:
            file.truncate(10 * 2**30)  # takes no room on the disk
        found = look_into([huge], Origin.MOTION, token=Token(), progress=lambda _p: None)
        self.assertIn("is not a video", str(found.clips[0][1]))

    def test_folders_give_their_videos_in_order_and_nothing_hidden(self):
        for name in ("b.MP4", "a.mkv", "notes.txt", ".hidden.mp4", "sub/c.avi", ".trash/d.avi"):
            path = self.folder / "stick" / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch()
        found = [p.name for p in find_files((self.folder / "stick",), VIDEO_SUFFIXES)]
        self.assertEqual(found, ["a.mkv", "b.MP4", "c.avi"])
        (self.folder / "nothing").mkdir()
        self.assertIn("no files", self.bring_in(self.folder / "nothing").notes[0])


class Jobs(unittest.TestCase):
    def test_one_job_at_a_time_and_each_end_is_told(self):
        self.assertIsNotNone(APP)
        runner, gate, told = JobRunner(), threading.Event(), []
        runner.succeeded.connect(told.append)
        runner.failed.connect(lambda e: told.append(type(e)))
        runner.cancelled.connect(lambda: told.append("stopped"))

        def held(token, _report):
            gate.wait(10)
            token.check()
            return "done"

        def broken(_token, _report):
            raise InvalidValue("no")

        for work, stop in ((held, False), (held, True), (broken, False)):
            finished = QSignalSpy(runner.finished)
            gate.clear()
            self.assertTrue(runner.start("work", work))
            self.assertFalse(runner.start("second", work))
            if stop:
                runner.cancel()
            gate.set()
            self.assertTrue(len(finished) or finished.wait(10_000))
            self.assertFalse(runner.busy)
        self.assertEqual(told, ["done", "stopped", InvalidValue])

    def test_of_a_drained_job_nothing_is_told_and_none_begins_after(self):
        runner, told = JobRunner(), []
        runner.finished.connect(lambda: told.append("finished"))
        self.assertTrue(runner.start("work", lambda _token, _report: 1, told.append))
        runner.drain()
        APP.processEvents()
        self.assertEqual((told, runner.busy), ([], False))
        self.assertFalse(runner.start("work", lambda _token, _report: 1))

    def test_progress_is_told_seldom_but_always_at_the_end(self):
        told = []
        meter = Meter(1000, told.append)
        for done in range(1001):
            meter.at(done, "x")
        self.assertLess(len(told), 100)
        self.assertEqual((told[-1].done, told[0].left_s), (1000, None))
        with self.assertRaises(Cancelled):
            token = Token()
            token.cancel()
            token.check()


class Messages(unittest.TestCase):
    def test_messages_wait_for_a_view_and_a_fault_of_the_program_says_so(self):
        hub, seen = MessageHub(), []
        hub.tell("early")
        hub.shown.connect(seen.append)
        hub.ready()
        hub.tell_error(InvalidValue("What.", do="Do."))
        hub.tell_error(KeyError("x"))
        self.assertEqual([m.text for m in seen[:2]], ["early", "What. Do."])
        self.assertEqual([m.severity for m in seen], [Severity.INFO, Severity.ERROR, Severity.ERROR])
        self.assertIn("fault of the program", seen[2].text)
