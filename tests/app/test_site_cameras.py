"""The site means all its cameras, opened or not, and what is shown of one follows what is changed on another."""

import io
import threading
from datetime import date, datetime
from unittest import mock

from pypdf import PdfReader
from PyQt6.QtTest import QSignalSpy

from guardia.app.camera.makes import capability_data, middle_settings
from guardia.app.project.readings_table import read_in
from guardia.app.project.session import Session
from guardia.app.site import open_site as open_project
from guardia.app.site.cameras import read_cameras
from guardia.app.site.exports import Exports
from guardia.app.site.summary import kept_summaries
from guardia.app.steps.hours_model import HoursModel
from guardia.app.steps.round_walk import RoundWalk
from guardia.app.work.messages import MessageHub
from guardia.core.evidence.watch import Entered
from guardia.core.hours.plan import EVERY_DAY, Edge, Special, Stretch, WeekPlan
from guardia.core.make.capability import capability_from_dict
from guardia.core.storage.stores import Store, StoreKind
from guardia.core.storage.units import Unit, UnitKind
from guardia.store.project import Project
from guardia.store.records import Site
from guardia.store.site_things import Task
from tests.app.test_session import SessionCase
from tests.support import FolderCase
from tests.ui.support import APP

MAKE = capability_data("polygon-mains-camera")
DAY_PLAN = WeekPlan((Stretch(EVERY_DAY, Edge(480), Edge(1080)),))


class ManyCameras(FolderCase):
    def site(self, count: int) -> Session:
        settings = middle_settings(capability_from_dict(MAKE))
        with Project(self.folder / "site", create=True, site=Site("Large", "UTC")) as project:
            for n in range(count):
                project.cameras.add(f"Camera {n:03}", MAKE, settings)
            project.things.set_tasks([Task(3, date(2026, 1, 2), "clean the lens")])
        session = Session(self.folder / "site", MessageHub())
        self.addCleanup(session.close)
        return session

    def until(self, session: Session, true) -> None:
        """Until what is read off this thread is there."""
        told = QSignalSpy(session.messages.shown)
        session.messages.ready()
        for _ in range(6000):
            if true():
                return
            told.wait(100)
        self.fail([m.text for m in session.messages.told])

    def test_what_is_asked_of_the_site_is_asked_of_every_camera(self):
        for count in (41, 500):  # lines from 41 on
            with self.subTest(count):
                self.folder = self.folder / str(count)
                session = self.site(count)
                session.load_cameras()
                ids = session.camera_ids()
                self.assertEqual(session.cameras.opened, {})
                first = session.camera(ids[0])

                self.assertEqual(len(RoundWalk(session).cameras), count)
                self.assertEqual(len(session.copying.losses(first, zones=False)), count - 1)
                first.change_draft(first.draft.with_values(hold_s=0.6), "try")
                session.copying.copy(first, ids[1:], zones=False)
                drafts = {camera.draft.detection.hold_s for camera in session.cameras.all().values()}
                self.assertEqual(drafts, {0.6})
                session.undo.undo()
                self.assertEqual(session.cameras.all()[ids[1]].draft, session.cameras.all()[ids[1]].installed)

                due = next(d for d in session.rounds.due() if d.what == "clean the lens")
                self.assertEqual(due.camera, session.camera_name(3))
                session.units.keep(0, Unit("Recorder", UnitKind.RECORDER, channels=8), ids[:12])
                self.assertIn("8", session.units.misfits()[0])
                table = self.folder / "readings.csv"
                table.write_text(f"of,when,what,value\nCamera {count - 1:03},2026-09-01 10:00,signal,-70\n")
                self.assertEqual(read_in(session, table), 1, session.messages.told)
                hours = session.step_model(HoursModel, first)
                self.assertEqual(len(hours.shared_with()[1]), count - 1)

                paper, sheets = self.folder / "report.pdf", self.folder / "sheets"
                sheets.mkdir()
                Exports(session).save_report(str(paper))
                self.until(session, paper.exists)
                pages = [page.extract_text() for page in PdfReader(io.BytesIO(paper.read_bytes())).pages]
                named = {f"Camera {n:03}" for n in range(count) if any(f"Camera {n:03}" in page for page in pages)}
                self.assertEqual(len(named), count)
                if count < 100:
                    Exports(session).save_sheets(sheets)
                    self.until(session, lambda sheets=sheets: len(list(sheets.glob("*.json"))) == 41)
                session.close()

    def test_a_removed_camera_leaves_what_it_hung_on_and_hangs_there_again_once_that_is_undone(self):
        session, unit = self.site(3), Unit("Recorder", UnitKind.RECORDER, channels=8)
        session.units.keep(0, unit, [1, 2])
        session.remove_camera(2)
        self.assertEqual(session.units.units[0].cameras, (1,))
        session.units.keep(session.units.units[0].id, unit, [1, 3])
        self.assertEqual(session.units.units[0].cameras, (1, 3))
        session.undo.undo()
        session.undo.undo()
        self.assertEqual(session.units.units[0].cameras, (1, 2))

    def test_hours_shared_while_cameras_are_being_read_are_kept_through_the_next_edit(self):
        session, ids = self.site(3), [1, 2, 3]
        was_read, go_on = threading.Event(), threading.Event()

        def held(folder, waiting, token):
            """Everything is read, and arrives only when something else was changed."""
            known = list(read_cameras(folder, waiting, token))
            was_read.set()
            go_on.wait(60)
            yield from known

        with mock.patch.multiple(open_project, AT_ONCE=-1, read_cameras=held):
            session.load_cameras()
            self.assertTrue(was_read.wait(60))
            first = session.camera(1)
            first.change_draft(first.draft.with_values(recording_plan=DAY_PLAN), "hours")
            session.shared_hours.share(first, "week", [2, 3])
            changed = QSignalSpy(session.cameras_changed)
            go_on.set()
            while len(session.cameras.opened) < 3:
                self.assertTrue(changed.wait(300_000))
        second = session.camera(2)
        self.assertEqual(second.draft.hours.recording_plan, DAY_PLAN)
        second.change_draft(second.draft.with_values(hold_s=0.6), "hold")
        with Project(session.folder) as project:
            plans = [project.cameras.get(i).draft.hours.recording_plan for i in ids]
        self.assertEqual(plans, [DAY_PLAN] * 3)


class WhatFollows(SessionCase):
    def test_a_camera_shows_what_the_others_on_its_store_write_now(self):
        session = self.open()
        session.load_cameras()
        models = {m.camera.name: m for m in session.cameras.opened.values()}
        ids = session.camera_ids()[:2]
        session.storage.add_store(Store("Shared disk", StoreKind.RECORDER, 500.0), ids)
        disk = session.storage.stores[-1]
        one, other = (session.camera(i) for i in disk.cameras[:2])
        self.assertGreater(len(models), 2)

        def others():
            return next(f for f in other.evidence.storage.stores if f.id == disk.id).others.value

        before, covered = others(), one.facts.watched_entered()
        begin = one.evidence.clips[-1].end_s + 86_400
        one.facts.set_watched([*covered, Entered(begin, begin + 300 * 86_400.0, True)])
        self.assertLess(others(), before / 2)
        session.undo.undo()
        self.assertAlmostEqual(others(), before)

    def test_a_kept_line_of_round_holds_for_its_day_its_evidence_and_its_program_only(self):
        session = self.open()
        session.load_cameras()
        session.keep_lines()
        camera_id = self.pontoon(session).camera.id

        def holds():
            with Project(session.folder) as project:
                return kept_summaries(project)[camera_id][1]

        self.assertTrue(holds())
        with mock.patch("guardia.app.site.summary.today_here", return_value=date(2031, 1, 1)):
            self.assertFalse(holds())
        with mock.patch("guardia.app.site.summary.__version__", "9"):
            self.assertFalse(holds())
        session.set_site("Other quay", session.site.time_zone)
        self.assertFalse(holds())
        session.keep_lines()
        pause = Special("away", datetime(2026, 9, 1), datetime(2026, 9, 2), "off")
        hours = session.step_model(HoursModel, self.pontoon(session))
        hours.add_special(pause)
        self.assertFalse(holds())
        self.assertIsNotNone(APP)
