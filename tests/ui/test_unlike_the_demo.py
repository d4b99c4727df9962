"""Every page and command on evidence that is nothing like the demo's, and programs' faults told where they happen."""

import contextlib
import io
import json
import shutil
import sys
import threading
from datetime import date, datetime, timedelta
from unittest.mock import patch

import numpy as np
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit, QMessageBox, QWidget

from guardia.app.camera.advice import next_action
from guardia.app.site.exports import Exports
from guardia.app.steps.polygon_tool import DrawMode
from guardia.app.steps.steps import STEPS
from guardia.cli import main
from guardia.core.evidence.clips import Origin
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from guardia.core.purpose.judgement import KINDS
from guardia.core.storage.stores import Store, StoreKind
from guardia.core.view.geometry import KnownView, ViewGeometry, view_from_lens
from guardia.store.project import Project
from guardia.ui.parts.widgets import painting
from guardia.ui.shell.run import install_hooks
from guardia.ui.steps.statistics_page import MonthView
from tests.support import in_file
from tests.ui.support import GuiCase
from tests.unlike import START, Made, make_project, trace_of, unlike_the_demo

PAGES = [step.id for step in STEPS]
SQUARE = PolygonZone(ZoneKind.WATCH, ((0.2, 0.3), (0.6, 0.3), (0.6, 0.8), (0.2, 0.8)), "yard")


def command(*arguments: object) -> tuple[int, str]:
    out = io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(out):
        status = main([str(a) for a in arguments])
    return status, out.getvalue()


class EveryPage(GuiCase):
    def through(self, folder, *, propose=False):
        """Open a project, go to every page, use what is there, and come back to where it began."""
        self.assertTrue(self.window.open_project(folder), self.window.banner.text.text())
        session = self.window.session
        (camera,) = session.camera_ids()
        model = session.camera(camera)
        self.window.open_camera(camera, "evidence")
        before = [(o.kind, o.visit) for o in model.evidence.occurrences]
        for page in PAGES:
            self.window.go(page)
            self.painted(self.window.pages[page])
        self.window.go("evidence")
        evidence = self.window.pages["evidence"]
        for _ in range(3):
            for key in "pfu":
                self.press(evidence.list, key)
        self.window.go("sensitivity")
        for at in range(len(model.camera.capability.notches)):
            self.window.pages["sensitivity"].notch.setValue(at)
        if model.camera.capability.zone_form != "blocks":
            model.change_draft(model.draft.with_values(zones=(SQUARE,)), "zone")
        self.window.go("zones")
        self.window.pages["zones"].show_moved()
        self.assertTrue(next_action(session.camera(camera)).text)
        for ending in ("csv", "jsonl", "xlsx"):
            Exports(session).save_occurrences(str(self.folder / f"all.{ending}"))
            self.window.go("statistics")
            lines = self.window.pages["statistics"].lines
            Exports(session).save_statistic(camera, "cause", lines, str(self.folder / f"s.{ending}"))
        self.window.go("storage")
        storage = self.window.pages["storage"]
        storage.model.keep_store(0, Store("card", StoreKind.CARD, 32.0, begins=date(2026, 1, 1)), here=True)
        storage.model.set_storage("stop when full", overwrite=False)
        for at in range(storage.tabs.count()):
            storage.tabs.setCurrentIndex(at)
            self.painted(storage)
        self.window.go("hours")
        hours = self.window.pages["hours"]
        hours.model.tool.add()
        hours.model.add_mode("closed")
        hours.modes.late.setValue(15)
        hours.model.propose()
        proposed = QSignalSpy(hours.model.jobs.finished)
        if hours.model.jobs.busy:
            self.wait(proposed)
        for step in ("hours", "tune"):
            self.window.go(step)
            tabs = self.window.pages[step].tabs
            for n in range(tabs.count()):
                tabs.setCurrentIndex(n)
                self.painted(self.window.pages[step])
        self.window.go("handover")
        self.window.pages["handover"].save(self.folder / "sheet.json")
        self.assertTrue((self.folder / "sheet.json").exists(), self.window.banner.text.text())
        if propose:
            finished = QSignalSpy(self.window.pages["zones"].proposal.jobs.finished)
            self.window.pages["zones"].seek.click()
            self.wait(finished)
        while session.undo.canUndo():
            session.undo.undo()
        self.assertEqual([(o.kind, o.visit) for o in model.evidence.occurrences], before)
        self.assertEqual(self.problems, [])
        status, out = command("score", folder, "--json")
        self.assertEqual((status, len(json.loads(out)["cameras"])), (0, 1))
        self.assertEqual(command("measure-again", folder, "--json")[0], 0)
        self.assertEqual(command("hours", folder, "--camera", model.camera.name, "--json")[0], 0)

    def test_kinds_of_evidence(self):
        for name, (clips, more) in unlike_the_demo(np.random.default_rng(5)).items():
            with self.subTest(name):
                folder = self.folder / name.replace(" ", "-")
                self.through(make_project(folder, clips, **more), propose=len(clips) < 20)

    @settings(
        max_examples=8,
        deadline=None,
        derandomize=True,
        phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(
        st.lists(
            st.tuples(
                st.sampled_from(["still", "noise", "everything", "walker"]),
                st.sampled_from(["", *(k.id for k in KINDS)]),
                st.floats(0, 30 * 86400), st.sampled_from(list(Origin)),
            ), max_size=9,
        ),
        st.sampled_from(["polygon-mains-camera", "phone-as-camera", "battery-camera-on-hub", "rectangle-mains-camera"]),
        st.integers(0, 10**6),
    )  # fmt: skip
    def test_random_evidence(self, clips, make, seed):
        rng = np.random.default_rng(seed)
        made = [Made(trace_of(rng, what), kind, START + at, origin) for what, kind, at, origin in clips]
        folder = self.folder / "random"
        shutil.rmtree(folder, ignore_errors=True)
        self.through(make_project(folder, made, make=make))
        self.window.close_session()


class Faults(GuiCase):
    def project(self, kinds=("person", "foliage", "", ""), **more):
        rng = np.random.default_rng(3)
        clips = [Made(trace_of(rng, "walker"), k, START + 700.0 * n) for n, k in enumerate(kinds)]
        self.window.open_project(make_project(self.folder / "site", clips, **more))
        session = self.window.session
        (camera,) = session.camera_ids()
        return session, session.camera(camera)

    def test_a_fault_of_the_program_is_told_in_the_window_from_any_thread(self):
        hooks = sys.excepthook, threading.excepthook
        self.addCleanup(setattr, sys, "excepthook", hooks[0])
        self.addCleanup(setattr, threading, "excepthook", hooks[1])
        install_hooks(self.window)
        shown = QSignalSpy(self.window.messages.shown)
        with contextlib.redirect_stderr(io.StringIO()) as said:
            sys.excepthook(IndexError, IndexError("one"), None)
            self.wait(shown)
            thread = threading.Thread(target=lambda: [][1])
            thread.start()
            thread.join()
            self.wait(QSignalSpy(self.window.messages.shown))
        self.assertEqual(
            [m[0].text.split(":")[0] for m in shown], ["The last step failed by a fault of the program (IndexError"] * 2
        )
        self.assertNotIn("Error in sys.excepthook", said.getvalue())

    def test_no_paint_event_raises_and_what_fails_is_told_once(self):
        class Broken(QWidget):
            @painting
            def paintEvent(self, painter):
                raise ZeroDivisionError

        widget = Broken()
        self.addCleanup(widget.deleteLater)
        for _ in range(3):
            widget.grab()
        self.assertEqual([type(p) for p in self.problems], [ZeroDivisionError])
        self.problems.clear()

    def test_a_figure_whose_head_is_behind_the_camera_is_not_drawn(self):
        _, model = self.project()
        low = view_from_lens(height_m=1.2, tilt_deg=45, focal_mm=2.8, sensor_width_mm=5)
        for view in (low, ViewGeometry(3.0, -20.0, 0.8)):
            model.facts.set_view(KnownView(view, "typed"))
            self.window.open_camera(model.camera.id, "view")
            canvas = self.window.pages["view"].canvas
            area = canvas.area()
            for y in np.linspace(0.02, 0.99, 12):
                canvas.pointer = QPointF(area.center().x(), area.top() + y * area.height())
                self.painted(canvas)
            self.painted(self.window.pages["view"])
        self.assertEqual({m for *_, m in self.window.pages["view"].model.ladder()}, {0.0})

    def test_escape_in_a_drag_ends_the_preview_and_the_sheet_follows(self):
        _, model = self.project()
        self.window.open_camera(model.camera.id, "handover")
        model.change_draft(model.draft.with_values(zones=(SQUARE,)), "zone")
        self.window.go("zones")
        page = self.window.pages["zones"]
        page.tool.select(0)
        page.tool.press(SQUARE.points[0], reach=0.02)
        page.tool.move((0.3, 0.4))
        self.assertTrue(model.previewing)
        self.press(page.canvas, Qt.Key.Key_Escape)
        self.assertFalse(model.previewing)
        self.window.session.undo.undo()
        self.window.go("handover")
        texts = [w.text() for w in self.window.pages["handover"].findChildren(QLabel)]
        self.assertTrue(any("none; the whole picture" in t for t in texts))

    def test_two_zones_and_then_paint_on_a_make_with_blocks(self):
        _, model = self.project(make="grid-zone-recorder")
        self.window.open_camera(model.camera.id, "zones")
        page = self.window.pages["zones"]
        other = PolygonZone(ZoneKind.WATCH, ((0.7, 0.1), (0.9, 0.1), (0.9, 0.3), (0.7, 0.3)), "other")
        page.commit((SQUARE, other), "draw")
        page.select_zone(1)
        page.set_mode(DrawMode.PAINT)
        at = page.canvas.to_widget((0.5, 0.1)).toPoint()
        self.click(page.canvas, at)
        self.assertEqual([type(z) for z in model.draft.detection.zones], [BlockZone])
        self.assertEqual(page.zone_list.count(), 1)

    def test_judging_a_visit_under_not_judged_yet_goes_on_to_the_next(self):
        session, model = self.project(kinds=["", "", "", ""])
        ids = [o.id for o in model.evidence.occurrences]
        session.occurrences.join(model.camera.id, ids[1:3])
        self.window.open_camera(model.camera.id, "evidence")
        page = self.window.pages["evidence"]
        page.select_id(ids[2])
        self.press(page.list, "p")
        self.assertEqual([o.kind for o in model.evidence.occurrences], ["", "person", "person", ""])
        self.press(page.list, "f")
        self.press(page.list, "f")
        self.assertEqual([o.kind for o in model.evidence.occurrences], ["foliage", "person", "person", "foliage"])

    def test_what_is_false_is_not_joined(self):
        session, model = self.project(kinds=["person", "foliage"])
        session.occurrences.join(model.camera.id, [o.id for o in model.evidence.occurrences])
        self.assertEqual({o.visit for o in model.evidence.occurrences}, {None})
        self.assertIn("Nothing was joined", self.window.banner.text.text())

    def test_days_of_two_years_open_each_their_own(self):
        rng = np.random.default_rng(3)
        clips = [Made(trace_of(rng, "walker"), "foliage", START + n * 365 * 86400) for n in range(2)]
        self.window.open_project(make_project(self.folder / "site", clips))
        (camera,) = self.window.session.camera_ids()
        self.window.open_camera(camera, "statistics")
        months = self.window.pages["statistics"].findChildren(MonthView)
        for month, year in zip(months, (2025, 2026), strict=True):
            picked = QSignalSpy(month.picked)
            day = next(iter(month.days_by_date))
            QTest.mouseClick(month, Qt.MouseButton.LeftButton, pos=month.day_rect(day).center())
            self.assertEqual(picked[0][0].date.year, year)

    def test_a_missing_walk_test_is_told_when_it_is_wanted(self):
        rng = np.random.default_rng(3)
        clips = [Made(trace_of(rng, "walker"), "person", START, Origin.WALK_TEST)]
        folder = make_project(self.folder / "site", clips)
        shutil.rmtree(folder / "media")
        (folder / "media").mkdir()
        self.window.open_project(folder)
        (camera,) = self.window.session.camera_ids()
        self.window.open_camera(camera, "view")
        self.click(self.window.pages["view"].walk)
        self.assertIn("missing", self.window.banner.text.text())

    def test_a_write_that_fails_leaves_no_step_behind(self):
        with patch("guardia.store.database.BUSY_S", 0.001):
            session, model = self.project()
        with Project(session.folder) as other, other.together():
            other.logbook.add(None, "busy")
            model.occurrences.set_visits({model.evidence.occurrences[0].id: 5})
            model.facts.set_view(KnownView(ViewGeometry(3.0, 15.0, 0.8), "typed"))
            model.facts.set_clock_error(30.0)
            model.facts.give_clip_start(model.evidence.clips[0].id, START + 50)
            model.facts.set_watched(())
            model.facts.set_cause([model.evidence.clips[0].id], "sound")
        self.assertEqual(session.undo.count(), 0)
        self.assertIn("Another program", self.window.banner.text.text())

    def test_a_zone_notch_moved_inside_another_zone_is_scored_afresh(self):
        _, model = self.project(kinds=["person"] * 4)
        everywhere = PolygonZone(ZoneKind.WATCH, ((0, 0), (1, 0), (1, 1), (0, 1)), "all", "1")
        for left in (0.0, 0.3, 0.6):
            inside = PolygonZone(ZoneKind.WATCH, ((left, 0), (left + 0.3, 0), (left + 0.3, 1), (left, 1)), "in", "")
            model.change_draft(model.draft.with_values(notch="10", zones=(everywhere, inside)), "zones")
            kept = model.comparison.draft
            model.reload()
            self.assertEqual(model.comparison.draft, kept)

    def test_a_bad_camera_is_set_aside_and_the_others_open(self):
        folder = self.copy_demo()
        with Project(folder) as project:
            in_file(project.folder, "UPDATE camera SET capability = '{}' WHERE name = 'Slipway'")
        self.assertTrue(self.window.open_project(folder))
        self.assertEqual(len(self.window.session.camera_ids()), 5)
        self.assertIn("'Slipway' is damaged", self.window.banner.text.text())

    def test_a_start_that_is_not_changed_moves_nothing(self):
        session, model = self.project()
        model.facts.set_clock_error(400.0)
        before = [c.start_s for c in model.evidence.clips]
        model.select([model.evidence.occurrences[1].id])

        def accept():
            QApplication.activeModalWidget().accept()

        QTimer.singleShot(0, accept)
        self.window.actions_by_id["clip_start"].trigger()
        self.assertEqual([c.start_s for c in model.evidence.clips], before)

        def later():
            field = QApplication.activeModalWidget().findChild(QLineEdit)
            field.setText(str(datetime.fromisoformat(field.text()) + timedelta(seconds=60)))
            accept()

        QTimer.singleShot(0, later)
        self.window.actions_by_id["clip_start"].trigger()
        self.assertAlmostEqual(model.evidence.clips[1].start_s, before[1] + 60, delta=0.6)
        self.assertEqual(session.undo.count(), 2)

    def test_an_older_project_is_measured_again_when_its_user_agrees(self):
        folder = self.copy_demo()
        with Project(folder) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Fuel berth")
            clips = [c for c in project.clips.of(camera.id) if c.by_motion][:2]
            for clip in clips:
                in_file(project.folder, "UPDATE trace SET model = 1 WHERE clip_id = ?", (clip.id,))
        self.assertTrue(self.window.open_project(folder))
        self.assertIn("2 clips", self.window.question.text())
        finished = QSignalSpy(self.window.session.intake.jobs.finished)
        self.click(self.window.question.button(QMessageBox.StandardButton.Yes))
        self.wait(finished)
        self.assertIn("Fuel berth, installed: the same figures as before", self.window.banner.text.toolTip())
        self.assertEqual(self.window.session.intake.outdated(), 0)


class OverTime(GuiCase):
    def setUp(self):
        super().setUp()
        self.window.open_demo()
        self.session = self.window.session
        camera = next(i for i in self.session.camera_ids() if self.session.camera_name(i) == "Winter store")
        self.window.open_camera(camera, "coverage")
        self.model = self.session.camera(camera)

    def test_watched_time_is_entered_taken_out_and_undone(self):
        self.click(self.window.pages["coverage"].ask_watched)
        dialog = self.window.commands.times
        self.assertEqual([dialog.table.item(r, 2).text() for r in range(2)], ["up", "down"])
        before = self.model.evidence.watch.days
        dialog.table.selectRow(1)
        dialog.take_out()
        dialog.accept()
        self.assertAlmostEqual(self.model.evidence.watch.days, before + 30 / 24)
        self.session.undo.undo()
        self.assertAlmostEqual(self.model.evidence.watch.days, before)

    def test_settings_of_a_stretch_not_known_are_told_beside_the_score(self):
        self.window.actions_by_id["epochs"].trigger()
        dialog = self.window.commands.times
        dialog.begin.set_moment(dialog.begin.moment_s() - 86400)
        dialog.put(None)
        self.assertEqual(dialog.table.item(dialog.table.rowCount() - 1, 1).text(), "now")
        dialog.accept()
        self.assertIn("settings that are not known", self.window.panel.limits.text())
        self.session.undo.undo()
        self.assertNotIn("settings that are not known", self.window.panel.limits.text())
        self.assertIn("The model explains", self.window.panel.limits.text())

    def test_a_clip_of_another_cause_is_left_out_and_comes_back(self):
        before = self.model.comparison.installed
        shown = next(o for o in self.model.evidence.occurrences if o.id in before.false_recorded)
        self.model.select([shown.id])
        self.model.facts.set_cause([shown.clip_id], "sound")
        self.assertNotIn(shown.id, self.model.comparison.installed.false_recorded)
        self.session.undo.undo()
        self.assertEqual(self.model.comparison.installed, before)
