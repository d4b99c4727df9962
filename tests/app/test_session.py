"""The session: next actions, starts of clips, two windows, many clips."""

import shutil
from datetime import UTC, datetime
from unittest import mock

from PyQt6.QtTest import QSignalSpy

from guardia.app.camera.advice import latest_days, next_action
from guardia.app.camera.makes import capability_data
from guardia.app.project.session import Session
from guardia.app.site import open_site as open_project
from guardia.app.steps.occurrence_list import OccurrenceFilter, OccurrenceListModel
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import ProjectError
from guardia.core.evidence.clips import Origin
from guardia.core.score.find import Filter
from guardia.store.project import Project
from guardia.store.records import NewClip
from guardia.tools.benchmark_window import make_big_project
from tests.support import FolderCase, blob_trace, evidence_of, in_file, steady, write_clip
from tests.ui.support import APP


class SessionCase(FolderCase):
    def open(self, folder=None) -> Session:
        self.assertIsNotNone(APP)
        self.hub, self.told = MessageHub(), []
        self.hub.shown.connect(self.told.append)
        self.hub.ready()
        session = Session(folder or self.copy_demo(), self.hub)
        self.addCleanup(session.close)
        return session

    def pontoon(self, session):
        return next(session.camera(i) for i in session.camera_ids() if session.camera_name(i) == "Pontoon gate")


class PuttingAway(SessionCase):
    def test_what_cannot_be_deleted_at_the_end_is_deleted_at_the_next_opening(self):
        session = self.open()
        model = self.pontoon(session)
        clip = model.evidence.clips[0].id
        model.corrections.remove_clips([clip])
        busy = mock.patch.object(Project, "clear_away", side_effect=ProjectError("The disk is full."))
        with busy:
            session.close()
        sql = "SELECT count(*) AS n FROM clip WHERE id = ?"
        self.assertEqual(in_file(session.folder, sql, (clip,))[0]["n"], 1)
        again = Session(session.folder, session.messages)
        again.close()
        self.assertEqual(in_file(session.folder, sql, (clip,))[0]["n"], 0)


class NextActions(SessionCase):
    def test_each_state_of_a_camera_has_its_one_next_action(self):
        session = self.open()
        model = self.pontoon(session)
        step = next_action(model)
        self.assertEqual((step.step, step.text.split()[0]), ("evidence", "Judge"))
        open_ids = [o.id for o in model.evidence.occurrences if not o.kind]
        model.occurrences.judge(open_ids, "unsure")
        self.assertEqual(next_action(model).step, "tune")
        model.change_draft(model.draft.with_values(hold_s=0.6), "hold")
        handover = next_action(model)
        self.assertEqual(handover.step, "handover")
        self.assertIn("real missed", handover.why)
        empty = session.add_camera("Attic", capability_data("phone-as-camera"))
        self.assertEqual(next_action(session.camera(empty)).text, "Import clips")


class DaysOfTheRound(SessionCase):
    def test_all_cameras_show_the_same_days_and_one_wrong_date_hides_nothing(self):
        session = self.open()
        session.load_cameras()
        models = list(session.cameras.opened.values())
        days = latest_days(session.time_zone, models)
        self.assertEqual([str(day) for day in days], ["2026-09-07", "2026-09-20"])
        model = self.pontoon(session)
        clip = model.evidence.clips[3]
        model.facts.give_clip_start(clip.id, clip.start_s + 400 * 86400)
        self.assertEqual(latest_days(session.time_zone, models), days)
        self.assertIsNone(latest_days(session.time_zone, []))

    def test_evidence_spread_evenly_over_a_year_shows_its_latest_days(self):
        session = self.open()
        ids = [session.add_camera(f"Attic {n}", capability_data("phone-as-camera")) for n in range(2)]
        models = [session.camera(i) for i in ids]
        begin = datetime(2026, 1, 1, 12, tzinfo=UTC).timestamp()
        for model in models:
            starts = [begin + n * 7 * 86400 for n in range(52)]
            model.take(evidence=evidence_of([blob_trace([9] * 5)] * 52, kinds=["person"] * 52, starts=starts))
        self.assertEqual([str(day) for day in latest_days(session.time_zone, models)], ["2026-12-11", "2026-12-24"])


class StartsOfClips(SessionCase):
    def test_a_given_start_moves_the_clip_and_can_be_undone(self):
        session = self.open()
        model = self.pontoon(session)
        clip = model.evidence.clips[3]
        model.facts.give_clip_start(clip.id, clip.start_s + 3600)
        self.assertEqual(model.facts.clip_start(clip.id), (clip.start_s + 3600, "given"))
        self.assertIn(clip.start_s + 3600, [c.start_s for c in model.evidence.clips])
        session.undo.undo()
        self.assertEqual(model.facts.clip_start(clip.id), (clip.start_s, "file name"))


class LeftFromBefore(SessionCase):
    def test_clips_that_an_import_left_unmeasured_are_measured_when_the_project_opens_again(self):
        folder = self.copy_demo()
        with Project(folder) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Slipway")
            clip = project.clips.of(camera.id)[0]
            path = write_clip(self.folder / "a_20260921_120000.mp4", steady(3, 10))
            new = NewClip(path, clip.start_s + 9e5, "file name", 3.0, 320, 180, "h264", Origin.MOTION)
            project.clips.add(camera.id, new)
            self.assertEqual(project.clips.waiting(camera.id), 1)
        session = self.open(folder)
        session.load_cameras()
        finished = QSignalSpy(session.intake.jobs.finished)
        self.assertTrue(session.intake.go_on_measuring())
        self.assertTrue(len(finished) or finished.wait(300_000))
        self.assertIn("0 clips imported, 1 clip measured", self.told[-1].text)
        self.assertFalse(session.intake.go_on_measuring())


class TwoWindows(SessionCase):
    def test_a_project_open_twice_is_told_and_both_can_write(self):
        folder = self.copy_demo()
        first = self.open(folder)
        told_first = list(self.told)
        second = self.open(folder)
        self.assertEqual(told_first, [])
        self.assertEqual([m.severity for m in self.told], [Severity.WARNING])
        self.assertIn("another window", self.told[0].text)
        for session, hold in ((first, 0.4), (second, 0.6)):
            model = self.pontoon(session)
            model.change_draft(model.draft.with_values(hold_s=hold), "hold")
            self.assertEqual(model.camera.draft.detection.hold_s, hold)
        self.assertEqual([m for m in self.told if m.severity is Severity.ERROR], [])


class Filtering(SessionCase):
    def test_filters_by_judgement_day_and_origin(self):
        session = self.open()
        model = self.pontoon(session)
        source = OccurrenceListModel(session, model)
        shown = OccurrenceFilter(source)
        everything = shown.rowCount()
        counts = {}
        for judged in ("unjudged", "real", "false", "unsure"):
            shown.set_filter(Filter(judged))
            counts[judged] = shown.rowCount()
        self.assertEqual(sum(counts.values()), everything)
        shown.set_filter(Filter("false recorded"))
        self.assertLessEqual(shown.rowCount(), counts["false"])
        days = {source.day(row) for row in range(everything)}
        total = 0
        for day in days:
            shown.set_filter(Filter(day=day))
            total += shown.rowCount()
        self.assertEqual(total, everything)
        shown.set_filter(Filter(origin=Origin.WALK_TEST))
        self.assertGreaterEqual(shown.rowCount(), 1)
        shown.set_filter(Filter(ids=frozenset({source.occurrence(0).id})))
        self.assertEqual(shown.rowCount(), 1)


class ManyClips(SessionCase):
    def test_a_large_project_is_read_behind_the_window(self):
        make_big_project(self.folder / "many", 40)
        before, open_project.AT_ONCE = open_project.AT_ONCE, 10
        self.addCleanup(setattr, open_project, "AT_ONCE", before)
        session = self.open(self.folder / "many")
        (camera,) = session.camera_ids()
        changed = QSignalSpy(session.cameras_changed)
        session.load_cameras()
        self.assertFalse(session.is_loaded(camera))
        self.assertTrue(len(changed) or changed.wait(30_000))
        self.assertTrue(session.is_loaded(camera))
        self.assertEqual(len(session.camera(camera).evidence.clips), 40)


class GoneMedia(SessionCase):
    def test_without_the_media_folder_scores_stay_and_pictures_are_empty(self):
        folder = self.copy_demo()
        before = self.pontoon(self.open(folder)).comparison.installed
        shutil.rmtree(folder / "media")
        model = self.pontoon(self.open(folder))
        self.assertEqual(model.comparison.installed, before)
        self.assertEqual(model.pictures.strip(model.evidence.occurrences[0].id), b"")
