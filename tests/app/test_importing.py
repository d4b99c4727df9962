import os
import shutil
import tempfile
import threading
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock
from zoneinfo import ZoneInfo

import numpy as np
from PyQt6.QtTest import QSignalSpy

from guardia import __version__
from guardia.app.camera.makes import capability_data
from guardia.app.intake import import_plan
from guardia.app.intake.import_plan import VIDEO_SUFFIXES, find_files, look_into, make_plan
from guardia.app.intake.importing import ImportRequest, import_clips, known_cameras
from guardia.app.project.session import Session
from guardia.app.scripted.offline import measure_again
from guardia.app.work.engine import Engine
from guardia.app.work.faults import NAME, keep_fault
from guardia.app.work.job_runner import JobRunner, left_running
from guardia.app.work.jobs import Meter, Token
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import Cancelled, InvalidValue
from guardia.core.evidence.clips import NewOccurrence, Origin
from guardia.core.make.settings import Settings
from guardia.core.score.score import evidence_limits
from guardia.store.database import pack
from guardia.store.project import Project
from guardia.store.records import NewClip, Site
from tests.support import FolderCase, blob_trace, in_file, scene, steady, write_clip, yard
from tests.ui.support import APP


class Importing(FolderCase):
    def setUp(self):
        super().setUp()
        self.site = self.folder / "site"
        with Project(self.site, create=True, site=Site("Yard", "UTC")) as project:
            make = capability_data("polygon-mains-camera")
            self.camera = project.cameras.add("Gate", make, Settings.of("polygon-mains-camera", "5"))

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
            self.assertEqual(len(project.clips.of(self.camera, analysed=True)), 9)

    def test_a_start_given_by_hand_outranks_the_name_and_a_guess_is_told(self):
        (clip,) = self.clips(1)
        self.bring_in(clip, start=datetime(2026, 5, 1, 12, tzinfo=UTC))
        nameless = write_clip(self.folder / "clip.mp4", steady(2, 5), picture=lambda t: scene(t, seed=44))
        result = self.bring_in(nameless)
        self.assertIn("only a guess", result.notes[0])
        with Project(self.site) as project:
            self.assertIn(
                datetime(2026, 5, 1, 12, tzinfo=UTC).timestamp(), [c.start_s for c in project.clips.of(self.camera)]
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


class Measuring(FolderCase):
    """What is measured depends on the clips alone: not on the order in which they come, nor on the number of cores."""

    def standing(self, number):
        """A clip in which somebody stands for most of the time at a place of the clip's own, then walks off."""

        def picture(at):
            shown = scene(0.0)
            left = 30 + 50 * number + (0 if at < 2.6 else int(200 * (at - 2.6)))
            shown[60:120, left : left + 26] = 215
            return shown

        return write_clip(self.folder / f"g_2026090{number + 1}_080000.mp4", steady(4, 5), picture=picture)

    def project(self, name):
        folder = self.folder / name
        with Project(folder, create=True, site=Site("Yard", "UTC")) as project:
            project.cameras.add(
                "Gate", capability_data("polygon-mains-camera"), Settings.of("polygon-mains-camera", "5")
            )
        return folder

    def bring_in(self, folder, *files, **more):
        return import_clips(ImportRequest(folder, 1, files, **more), token=Token(), progress=lambda _p: None)

    def traces(self, folder):
        with Project(folder) as project:
            clips = project.clips.of(1, analysed=True)
            return {c.name: project.measurements.trace(c.id).dense().tobytes() for c in clips}

    def test_order_and_number_of_cores_make_no_difference_and_a_later_clip_is_told(self):
        files = [self.standing(n) for n in range(5)]
        one, two, three = (self.project(n) for n in ("one", "two", "three"))
        with mock.patch("guardia.app.work.engine.os.cpu_count", return_value=1):
            self.bring_in(one, *files)
        with mock.patch("guardia.app.work.engine.os.cpu_count", return_value=3):
            self.bring_in(two, *files[::-1])
        self.assertEqual(self.traces(one), self.traces(two))
        self.bring_in(three, *files[:2])
        before = self.traces(three)
        with Project(three) as project:
            project.occurrences.judge({o.id: "person" for o in project.evidence(1).occurrences})
        result = self.bring_in(three, *files[2:])
        self.assertEqual(self.traces(three), self.traces(one))
        changed = sum(before[name] != trace for name, trace in self.traces(one).items() if name in before)
        self.assertGreater(changed, 0)
        self.assertRegex(" ".join(result.notes), f"Measured {changed} earlier clips? again")
        with Project(three) as project:
            kinds = [o.kind for o in project.evidence(1).occurrences]
        self.assertEqual((kinds.count("person"), len(kinds)), (2, 5))
        self.assertEqual(self.found(three), self.found(one))

    def test_what_was_found_is_found_again_but_not_what_somebody_moved(self):
        files = [self.standing(n) for n in range(5)]
        one, moved = self.project("one"), self.project("moved")
        self.bring_in(one, *files)
        self.bring_in(moved, files[0])
        with Project(moved) as project:
            (only,) = project.evidence(1).occurrences
            own = project.occurrences.add(only.clip_id, NewOccurrence(0.1, 0.9, [0.5], b"strip"), "person")
            project.occurrences.show([own], [only.id])
        kept = self.found(moved)
        self.bring_in(moved, *files[1:])
        self.assertIn(kept[0], self.found(moved))
        for name in ("by", "single"):
            project = self.project(name)
            for file in files if name == "by" else files[::-1]:
                self.bring_in(project, file)
            self.assertEqual(self.found(project), self.found(one))

    def found(self, project):
        """Clip by clip where occurrences are."""
        with Project(project) as opened:
            evidence = opened.evidence(1)
            return sorted((evidence.clip_of(o).name, o.start_s, o.end_s) for o in evidence.occurrences)

    def yard(self, name, *, moved_px=0, seed=1, speed=60):
        """A clip of a yard with sheds, through which somebody walks; the camera turned by some pixels."""
        still = np.roll(yard(seed, width=320, height=180), moved_px, axis=1)

        def picture(at):
            shown = np.repeat(still[:, :, None], 3, axis=2)
            left = 10 + int(speed * at)
            shown[90:150, left : left + 20] = 255
            return shown

        return write_clip(self.folder / f"{name}.mp4", steady(4, 5), picture=picture)

    def test_a_clip_of_another_view_is_kept_told_and_not_scored_until_somebody_says_otherwise(self):
        folder = self.project("turned")
        usual = [self.yard(f"u_2026090{n}_080000", speed=50 + n) for n in (1, 2, 3)]
        result = self.bring_in(folder, *usual)
        self.assertNotIn("another view", " ".join(result.notes))
        turned = [self.yard("t_20260904_080000", moved_px=40), self.yard("x_20260905_080000", seed=7)]
        result = self.bring_in(folder, *turned)
        self.assertIn("2 clips of another view", " ".join(result.notes))
        with Project(folder) as project:
            evidence = project.evidence(1)
            self.assertEqual(len(evidence.clips), 3)
            self.assertEqual(len(evidence.other_views), 2)
            camera = project.cameras.get(1)
            said = evidence_limits(evidence, camera.draft, camera.capability)
            self.assertIn("2 clips of another view", " ".join(said))
        session = Session(folder, MessageHub())
        model = session.camera(1)
        troubles = [trouble for _, trouble in model.corrections.clips() if trouble]
        self.assertEqual(len(troubles), 2)
        self.assertIn("moved by 12% across", " ".join(troubles))
        model.corrections.say_same_view(model.evidence.other_views)
        self.assertEqual((len(model.evidence.clips), model.evidence.other_views), (5, ()))
        session.undo.undo()
        self.assertEqual(len(model.evidence.other_views), 2)
        session.close()

    def test_what_an_older_model_measured_is_measured_again_when_asked(self):
        folder = self.project("old")
        self.bring_in(folder, *(self.standing(n) for n in range(3)))
        right = self.traces(folder)
        with Project(folder) as project:
            project.occurrences.judge({o.id: "person" for o in project.evidence(1).occurrences})
            wrong = blob_trace([40] * 10)
            for clip in project.clips.of(1):
                in_file(project.folder,
                        "UPDATE trace SET model = 1, changed = ?, cell = ?, frame_start = ?, times_s = ? WHERE"
                        " clip_id = ?", (pack(wrong.changed, "u1"), pack(wrong.cell, "<u2"),
                                pack(wrong.frame_start, "<i8"), pack(wrong.times_s, "<f8"), clip.id))  # fmt: skip
        told = measure_again(folder)
        self.assertEqual((told["measured"], told["notes"]), (3, []))
        self.assertIn("before", told["cameras"][0]["changes"][0])
        self.assertEqual(self.traces(folder), right)
        with Project(folder) as project:
            self.assertEqual({o.kind for o in project.evidence(1).occurrences}, {"person"})
        self.assertEqual(measure_again(folder)["measured"], 0)

    def test_copies_in_one_folder_are_taken_once_and_by_the_best_start(self):
        folder, stick = self.project("site"), self.folder / "stick"
        stick.mkdir()
        whole = self.standing(0)
        shutil.copy(whole, stick / "a copy.mp4")
        shutil.copy(whole, stick / whole.name)
        found = look_into([stick], Origin.MOTION, token=Token(), progress=lambda _p: None)
        with Project(folder) as project:
            plan = make_plan(found, known_cameras(project), zone=ZoneInfo("UTC"), camera_id=1)
        self.assertEqual({c.path.name: c.state for c in plan.clips}, {"a copy.mp4": "copy", whole.name: "new"})
        result = self.bring_in(folder, stick)
        self.assertEqual(result.added, 1)
        with Project(folder) as project:
            (clip,) = project.clips.of(1)
        self.assertEqual(datetime.fromtimestamp(clip.start_s, UTC), datetime(2026, 9, 1, 8, tzinfo=UTC))

    def test_links_out_of_a_folder_and_what_is_no_file_are_left_out(self):
        folder, stick = self.project("site"), self.folder / "stick"
        stick.mkdir()
        (self.folder / "secret.csv").write_text("Start\n2026-09-07 10:41:15\n")
        (stick / "list.csv").symlink_to(self.folder / "secret.csv")
        os.mkfifo(stick / "pipe.csv")
        (stick / os.fsdecode(b"caf\xe9_20260907_080000.mp4")).write_bytes(self.standing(0).read_bytes())
        result = self.bring_in(folder, stick)
        self.assertEqual((result.added, result.events), (1, 0))
        told = " ".join(result.notes)
        self.assertIn("list.csv is a link to a file outside", told)
        self.assertIn("pipe.csv is no file", told)

    def test_a_clip_that_breaks_only_when_measured_is_told_by_its_name_once(self):
        folder, good = self.project("site"), self.standing(0)
        self.bring_in(folder, good)
        with Project(folder) as project:
            new = NewClip(good, 1_757_200_000.0, "file name", 4.0, 320, 180, "h264", Origin.MOTION)
            spoilt = self.folder / "spoilt_20260908_080000.mp4"
            spoilt.write_bytes(b"no clip at all")
            self.assertIsNotNone(project.clips.add(1, replace(new, path=spoilt)))
        first, second = self.bring_in(folder), self.bring_in(folder)
        self.assertIn("spoilt_20260908_080000.mp4", first.notes[0])
        self.assertEqual((len(first.notes), second.notes), (1, []))
        with Project(folder) as project:
            evidence = project.evidence(1)
            self.assertEqual((project.clips.waiting(1), len(evidence.occurrences)), (0, 1))
            # The day of the clip that nobody can measure is no quiet day.
            self.assertEqual(evidence.unmeasured_s, (1_757_200_000.0,))


class OneOfMany(FolderCase):
    def setUp(self):
        super().setUp()
        self.stick = self.folder / "stick"
        self.stick.mkdir()
        for number in range(3):
            write_clip(self.stick / f"2026090{7 + number}_101530.mp4", steady(2 + number, 10))
        self.bad = self.stick / "20260908_101530.mp4"
        self.site = Site("Tern Quay", "Europe/London")
        with Project(self.folder / "p", create=True, site=self.site) as project:
            data = capability_data("phone-as-camera")
            self.camera = project.cameras.add("Gate", data, Settings.of("phone-as-camera", "medium"))

    def brought(self):
        request = ImportRequest(self.folder / "p", self.camera, (self.stick,), Origin.MOTION)
        result = import_clips(request, token=Token(), progress=lambda _: None)
        return result, "\n".join(result.notes)

    def test_a_clip_of_a_codec_that_nobody_knows_is_named_and_the_others_come_in(self):
        self.bad.write_bytes(self.bad.read_bytes().replace(b"avc1", b"zz9q"))
        result, notes = self.brought()
        self.assertEqual((result.added, result.analysed), (2, 2))
        self.assertIn("20260908_101530.mp4 is recorded by a codec that is not known here", notes)

    def test_whatever_goes_wrong_with_one_clip_the_others_come_in(self):
        real = import_plan.probe
        with mock.patch.object(import_plan, "probe", side_effect=lambda p: 1 / 0 if p == self.bad else real(p)):
            result, notes = self.brought()
        self.assertEqual((result.added, result.analysed), (2, 2))
        self.assertIn("20260908_101530.mp4 cannot be looked into (ZeroDivisionError", notes)

    def test_a_fault_while_one_clip_is_measured_is_told_and_the_others_are_measured(self):
        real = Engine.submit

        def submit(engine, work, task):
            if getattr(getattr(task, "clip", None), "name", "") == self.bad.name:
                return real(engine, divmod, None)
            return real(engine, work, task)

        with mock.patch.object(Engine, "submit", submit):
            result, notes = self.brought()
        self.assertEqual((result.added, result.analysed), (3, 2))
        self.assertIn("20260908_101530.mp4 cannot be measured, by a fault of the program (TypeError", notes)


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

    def test_a_fault_in_what_follows_a_job_is_reported_and_the_job_has_ended(self):
        def broken(_result):
            raise KeyError("no page")

        runner, failed = JobRunner(), []
        runner.failed.connect(lambda e: failed.append(type(e)))
        finished = QSignalSpy(runner.finished)
        self.assertTrue(runner.start("work", lambda _token, _report: 1, broken))
        self.assertTrue(len(finished) or finished.wait(10_000))
        self.assertEqual((failed, runner.busy), ([KeyError], False))

    def test_of_a_drained_job_nothing_is_told_and_none_begins_after(self):
        runner, told = JobRunner(), []
        runner.finished.connect(lambda: told.append("finished"))
        self.assertTrue(runner.start("work", lambda _token, _report: 1, told.append))
        runner.drain()
        APP.processEvents()
        self.assertEqual((told, runner.busy), ([], False))
        self.assertFalse(runner.start("work", lambda _token, _report: 1))

    def test_what_works_on_values_alone_is_left_to_itself_at_the_end_and_anything_else_waited_for(self):
        gate, ended = threading.Event(), []

        def held(_token, _report):
            gate.wait(60)
            ended.append("held")

        runner = JobRunner()
        runner.start("work", held, of_values=True)
        runner.drain()  # it would wait for the gate
        self.assertEqual((left_running(), ended), (True, []))
        gate.set()
        runner._worker.wait()
        self.assertFalse(left_running())

        def writing(token, _report):
            while not token.cancelled:
                gate.wait(0.01)
            ended.append("written")

        runner = JobRunner()
        runner.start("work", writing)
        runner.drain()
        self.assertEqual(ended, ["held", "written"])

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
        home = Path(self.enterContext(tempfile.TemporaryDirectory()))
        hub, seen = MessageHub(faults=home / "new"), []
        hub.tell("early")
        hub.shown.connect(seen.append)
        hub.ready()
        hub.tell_error(InvalidValue("What.", do="Do."))
        hub.tell_error(KeyError("x"))
        self.assertEqual([m.text for m in seen[:2]], ["early", "What. Do."])
        self.assertEqual([m.severity for m in seen], [Severity.INFO, Severity.ERROR, Severity.ERROR])
        self.assertIn("fault of the program", seen[2].text)

        def deep():
            raise RuntimeError("below")

        try:
            deep()
        except RuntimeError as error:
            hub.tell_error(error)
        kept = (home / "new" / NAME).read_text("utf-8")
        self.assertIn(str(home / "new" / NAME), seen[3].text)
        for part in (__version__, "KeyError: 'x'", "in deep", "RuntimeError: below"):
            self.assertIn(part, kept)
        self.assertIsNone(keep_fault(KeyError("x"), Path("/proc/none")))
