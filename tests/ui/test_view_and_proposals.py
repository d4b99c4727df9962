"""The steps View and Zones: calibration by hand and by walk test, proposals, blocks, copies."""

import math
from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtGui import QHelpEvent
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QLabel, QToolTip

from guardia.app.camera.makes import capability_data
from guardia.app.site.copying import zone_sources
from guardia.app.steps.polygon_tool import DrawMode
from guardia.core.base.intervals import rate_interval
from guardia.core.make.settings import zone_limits_broken
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneDoes, ZoneKind, is_rectangle
from guardia.core.purpose.judgement import Verdict
from guardia.core.score.reach import THINGS
from guardia.core.score.statistics import line_of
from tests.core.test_geometry_and_reach import VIEW, marks
from tests.ui.support import APP
from tests.ui.test_steps import SQUARE, StepCase


class ViewStep(StepCase):
    def on_canvas(self, page, point):
        area = page.canvas.area()
        return QPoint(round(area.left() + point[0] * area.width()), round(area.top() + point[1] * area.height()))

    def follow(self, page):
        finished = QSignalSpy(page.model.jobs.finished)
        self.click(page.walk)
        self.assertFalse(page.walk.isEnabled())
        self.wait(finished)
        self.assertTrue(page.walk.isEnabled())

    def test_two_marked_persons_give_distances_and_reach(self):
        page = self.open_camera("Workshop door", "view")
        self.assertIn("not known yet", page.how.text())
        empty = page.model.picture()
        read = QSignalSpy(page.model.jobs.finished)
        page.mark.setChecked(True)
        self.wait(read)
        chosen = self.model.occurrence(page.on.currentData())
        self.assertIn(chosen.kind or "", ("person", "expected", ""))
        self.assertNotEqual(page.model.picture(), empty, "somebody is to be seen on it")
        for mark in marks(VIEW, [(-1.5, 6.5), (1.0, 14.0)]):
            self.drag(page.canvas, self.on_canvas(page, mark.foot), self.on_canvas(page, mark.head))
        known = self.model.camera.view
        self.assertEqual(known.how, "marks")
        self.assertAlmostEqual(known.view.height_m, 3.4, delta=0.5)
        self.assertIn("by marks", page.how.text())
        measured = QSignalSpy(page.model.people.changed)
        if "being measured" in page.notes.text():
            self.wait(measured)
        self.assertRegex(page.notes.text(), "by day (measured on [0-9]+ persons|assumed)")
        # A finer notch reaches farther, and the picture says so.
        before = {line.thing.name: line.across for line in page.model.reach()}
        notches = [n.label for n in self.model.camera.capability.notches]
        self.window.go("sensitivity")
        self.press(self.window.pages["sensitivity"].notch, Qt.Key.Key_Left)
        self.assertNotEqual(self.model.draft.detection.notch, self.model.camera.installed.detection.notch)
        after = {line.thing.name: line.across for line in page.model.reach()}
        self.assertLess(after["walking adult"], before["walking adult"])
        self.assertEqual(len(page.model.reach_by_notch(page.model.reach()[0].thing)), len(notches))
        self.session.undo.setIndex(0)
        self.assertIsNone(self.model.camera.view)
        self.window.go("view")
        self.assertIn("not known yet", page.how.text())
        page.mark.setChecked(False)
        self.assertEqual(page.model.picture(), empty)

    def test_the_walk_test_and_typed_numbers_serve_too(self):
        page = self.open_camera("Slipway", "view")
        self.follow(page)
        # The scene's camera stands 3.4 m high; its lens is not known here.
        self.assertAlmostEqual(self.model.camera.view.view.height_m, 3.4, delta=0.5)
        self.assertEqual(self.model.camera.view.how, "walk test")
        self.assertIn("far distances", page.notes.text())
        page.thing.setCurrentIndex(len(THINGS))
        told = [found.text() for found in page.findChildren(QLabel)]
        for notch, line in page.model.reach_by_notch(THINGS[-1]):
            self.assertIn(f"level {notch}", told)
            self.assertLessEqual(line.towards, line.across)
            self.assertIn(f"{line.night:.0f} m" if line.night else "none", told)
        self.model.change_draft(self.model.draft.with_values(zones=(SQUARE,)), "zone")
        self.assertRegex(page.notes.text(), "In 'yard' a car triggers from [0-9]+ to [0-9]+ m")
        # A zone with a notch of its own reaches as far as that one does.
        lines = dict(page.model.reach_by_notch(THINGS[-1]))
        for notch, expected in lines.items():
            self.model.change_draft(self.model.draft.with_values(zones=(replace(SQUARE, notch=notch),)), "own notch")
            ((_, _, _, line),) = page.model.reach_by_zone(THINGS[-1])
            self.assertEqual(line, expected)
            self.session.undo.undo()
        self.session.undo.undo()
        page.mark.setChecked(False)
        QTest.mouseMove(page.canvas, self.on_canvas(page, (0.5, 0.85)))
        self.painted(page)
        page.lens.setChecked(True)
        page.sensor_box.setValue(0.0)
        self.assertIsNone(page.model.lens, "a sensor without width is no lens")
        before = self.model.camera.view
        self.click(page.take)
        self.assertEqual(self.model.camera.view, before)
        page.focal_box.setValue(4.0)
        page.sensor_box.setValue(5.0)
        page.height_box.setValue(3.4)
        page.tilt_box.setValue(14.0)
        page.lamp_box.setValue(12)
        self.click(page.take)
        known = self.model.camera.view
        self.assertEqual((known.how, known.view.focal, known.lamp_m), ("typed", 0.8, 12.0))
        night = {line.thing.name: line.night for line in page.model.reach()}
        self.assertLessEqual(max(night.values()), 12.5)
        # The lens stays as it is known when the walk test is used again.
        self.follow(page)
        self.assertAlmostEqual(self.model.camera.view.view.focal, 0.8)
        self.assertEqual(self.model.camera.view.lamp_m, 12.0)

    def test_without_a_walk_test_it_says_what_to_do(self):
        page = self.open_camera("Slipway", "view")
        camera = self.session.add_camera("Attic", capability_data("phone-as-camera"))
        self.window.open_camera(camera, "view")
        self.follow(self.window.pages["view"])
        self.assertIn("mark two standing persons", self.window.banner.text.text())
        self.assertIsNotNone(page)


class Proposals(StepCase):
    def seek(self, name):
        page = self.open_camera(name, "zones")
        changed = QSignalSpy(page.proposal.changed)
        self.click(page.seek)
        self.wait(changed)
        return page

    def test_a_proposal_is_shown_taken_in_part_and_undone(self):
        page = self.seek("Fuel berth")
        offer = page.proposal.offer
        self.assertIn("Keeps every real occurrence", page.offer_words.text())
        self.assertRegex(page.offer_words.text(), "proven|by these rules at most")
        self.assertTrue(page.canvas.proposed.any())
        self.painted(page)
        before = self.model.comparison.draft
        self.click(page.take)
        self.assertEqual(self.model.draft.detection.zones, offer.steps[-1])
        after = self.model.comparison.draft
        self.assertIn(f" leaves {len(after.false_recorded)} of {len(before.false_recorded)} false", offer.words)
        self.assertEqual(len(after.real_missed), len(before.real_missed))
        self.assertFalse(page.offer.isVisible())
        self.session.undo.undo()
        self.assertEqual(self.model.draft.detection.zones, self.model.camera.installed.detection.zones)

    def test_what_was_sought_for_another_draft_is_dropped_and_another_page_shows_the_search(self):
        page = self.open_camera("Fuel berth", "zones")
        finished = QSignalSpy(page.proposal.jobs.finished)
        self.click(page.seek)
        page = self.open_camera("Fuel berth", "zones")
        self.assertTrue(page.offer.isVisible())
        self.assertFalse(page.seek.isEnabled())
        page.commit((SQUARE,), "draw")
        self.wait(finished)
        self.assertIn("Seek again", self.window.banner.text.text())
        self.assertFalse(page.offer.isVisible())
        self.assertTrue(page.seek.isEnabled())

    def test_the_window_can_be_closed_while_zones_are_sought(self):
        page = self.open_camera("Pontoon gate", "zones")
        self.click(page.seek)
        self.assertTrue(page.proposal.jobs.busy)
        self.open_camera("Slipway", "zones")
        self.window.close()
        self.assertIsNone(self.window.session)

    def test_a_make_with_blocks_is_offered_blocks_and_a_proposal_can_be_dropped(self):
        page = self.seek("Slipway")
        (zones,) = page.proposal.offer.steps
        self.assertEqual((zones[0].columns, zones[0].rows), self.model.camera.capability.blocks)
        page.proposal.drop()
        self.assertIsNone(page.canvas.proposed)
        self.assertFalse(page.offer.isVisible())


class WhereThingsMoved(StepCase):
    def test_a_cell_tells_how_often_and_opens_its_occurrences(self):
        page = self.open_camera("Pontoon gate", "zones")
        heat, canvas = page.canvas.heat, page.canvas
        counts = heat.counts[Verdict.FALSE]
        row, column = np.unravel_index(counts.argmax(), counts.shape)
        at = canvas.to_widget(((column + 0.5) / counts.shape[1], (row + 0.5) / counts.shape[0])).toPoint()
        cells = np.zeros_like(counts, bool)
        cells[row, column] = True
        ids, words = heat.over(cells)
        self.assertEqual(len(ids), int(counts[row, column] + heat.counts[Verdict.REAL][row, column]))
        days = self.model.evidence.watch.counted_days
        counted = line_of(self.model.evidence, "", ids, verdict=Verdict.FALSE)
        low, high = rate_interval(len(counted.ids), days)
        self.assertIn(f"{len(counted.ids) / days:.1f} a day ({low:.1f} to {high:.1f})", words)
        APP.sendEvent(canvas, QHelpEvent(QEvent.Type.ToolTip, at, canvas.mapToGlobal(at)))
        self.assertIn(words, QToolTip.text())
        QToolTip.hideText()
        QTest.mouseDClick(canvas, Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertEqual(self.window.pages["evidence"].proxy.rowCount(), len(ids))
        # Without a selected zone the whole picture is meant, and all that is judged real or false moved in it.
        self.window.go("zones")
        page.tool.select(None)
        page.show_moved()
        judged = [o for o in self.model.evidence.occurrences if o.verdict in (Verdict.REAL, Verdict.FALSE)]
        moved = self.window.pages["evidence"].proxy.rowCount()
        self.assertTrue(0 < moved <= len(judged))
        page.commit((SQUARE,), "draw")
        page.select_zone(0)
        page.show_moved()
        self.assertLess(self.window.pages["evidence"].proxy.rowCount(), moved)


class MoreOfTheEditor(StepCase):
    def test_blocks_are_painted_by_dragging_and_the_last_one_stays(self):
        page = self.open_camera("Slipway", "zones")
        page.set_mode(DrawMode.PAINT)
        start = [page.canvas.to_widget(p).toPoint() for p in ((0.1, 0.1), (0.2, 0.1), (0.3, 0.1))]
        before = self.model.draft.detection.zones[0]
        self.drag(page.canvas, *start)
        after = self.model.draft.detection.zones[0]
        self.assertIsInstance(after, BlockZone)
        self.assertGreater(sum(a != b for a, b in zip(after.active, before.active, strict=True)), 2)
        self.session.undo.undo()
        self.assertEqual(self.model.draft.detection.zones[0], before)
        QTest.mousePress(page.canvas, Qt.MouseButton.LeftButton, pos=start[0])
        self.press(page.canvas, Qt.Key.Key_Escape)
        self.assertEqual(page.tool.zones[0], before)
        page.tool.set_zones((BlockZone(22, 18, tuple(n == 0 for n in range(396))),))
        page.tool.set_mode(DrawMode.PAINT)
        page.tool.press((0.01, 0.01), reach=0.01)
        page.tool.release((0.01, 0.01))
        self.assertEqual(sum(page.tool.zones[0].active), 1)

    def test_zones_are_simplified_straightened_and_copied_from_elsewhere(self):
        page = self.open_camera("Pontoon gate", "zones")
        corners = ((0.2, 0.2), (0.5, 0.21), (0.8, 0.2), (0.81, 0.8), (0.2, 0.79))
        page.tool.set_zones((PolygonZone(ZoneKind.WATCH, corners, "yard"),))
        page.tool.select(0)
        page.simplify()
        self.assertEqual(len(self.model.draft.detection.zones[0].points), 4)
        page.straighten()
        points = self.model.draft.detection.zones[0].points
        self.assertEqual(points[1][0], points[2][0])
        self.assertEqual(points[2][1], points[3][1])
        page.straighten()
        self.assertIn("nearly level", self.window.banner.text.text())
        mine = self.model.draft.detection.zones
        page = self.open_camera("Fuel berth", "zones")
        names = [name for name, _ in zone_sources(self.session, self.model.camera.id)]
        self.assertIn("Pontoon gate, draft", names)
        page.copy_zones(
            *next(s for s in zone_sources(self.session, self.model.camera.id) if s[0] == "Pontoon gate, draft")
        )
        self.assertEqual(self.model.draft.detection.zones, mine)
        slipway = next(s for s in zone_sources(self.session, self.model.camera.id) if s[0] == "Slipway, installed")
        # What this make cannot take is fitted to its form, and only offered.
        changed = QSignalSpy(page.proposal.changed)
        page.copy_zones(*slipway)
        self.wait(changed)
        self.assertEqual(self.model.draft.detection.zones, mine)
        self.assertRegex(page.offer_words.text(), r"\d+ of 576 cells are no longer watched and \d+ are watched besides")
        self.click(page.take)
        self.assertEqual(zone_limits_broken(self.model.draft, self.model.camera.capability), [])
        self.assertEqual(self.session.undo.undoText(), "copy zones from Slipway, installed (Fuel berth)")
        self.session.undo.undo()
        # So are zones with more corners than the make takes.
        many = tuple((0.5 + 0.4 * math.cos(a / 2), 0.5 + 0.4 * math.sin(a / 2)) for a in range(12))
        page.commit((PolygonZone(ZoneKind.WATCH, many, "pond"),), "paste zone")
        self.assertIn("12 corners", page.limits.text())
        changed = QSignalSpy(page.proposal.changed)
        self.click(page.fit)
        self.wait(changed)
        self.click(page.take)
        self.assertEqual([(z.name, len(z.points) <= 8) for z in self.model.draft.detection.zones], [("pond", True)])
        self.assertFalse(page.fit.isVisible())

    def test_a_make_with_rectangles_is_fitted_and_drawn_on_before_there_is_evidence(self):
        camera = self.session.add_camera("Attic", capability_data("rectangle-mains-camera"))
        self.window.open_camera(camera, "zones")
        page, model = self.window.pages["zones"], self.session.camera(camera)
        (slipway,) = (zones for name, zones in zone_sources(self.session, camera) if name == "Slipway, installed")
        for begin, says in (
            (lambda: page.copy_zones("Slipway", slipway), "0 of 576 cells are no longer watched"),
            (page.seek.click, "nothing to leave out"),
        ):
            changed = QSignalSpy(page.proposal.changed)
            begin()
            self.wait(changed)
            self.assertIn(says, page.offer_words.text())
            page.proposal.take(1)
        page.set_mode(DrawMode.IGNORE)
        self.drag(page.canvas, *(page.canvas.to_widget(p).toPoint() for p in ((0.7, 0.2), (0.8, 0.3), (0.95, 0.6))))
        page.set_mode(DrawMode.SELECT)
        self.drag(page.canvas, *(page.canvas.to_widget(p).toPoint() for p in ((0.95, 0.6), (0.92, 0.7), (0.9, 0.8))))
        self.assertEqual([z.kind for z in model.draft.detection.zones], [ZoneKind.WATCH, ZoneKind.IGNORE])
        self.assertTrue(all(is_rectangle(z.points) for z in model.draft.detection.zones))
        page.select_zone(0)
        page.does.setCurrentIndex(page.does.findData(ZoneDoes.RECORDS))
        page.does.activated.emit(1)
        self.assertIs(model.draft.detection.zones[0].does, ZoneDoes.RECORDS)
        self.assertFalse(page.of_class.isVisibleTo(page), "this make has no zones for a class")
        self.assertEqual(zone_limits_broken(model.draft, model.camera.capability), [])
        self.window.go("handover")
        self.window.pages["handover"].save(self.folder / "s.json")
        self.assertIn("records without an alert, corners", (self.folder / "s.json").read_text("utf-8"))
        self.session.undo.undo()
        self.assertIs(model.draft.detection.zones[0].does, ZoneDoes.BOTH)

    def test_a_privacy_mask_and_a_zone_with_its_own_sensitivity(self):
        page = self.open_camera("Pontoon gate", "zones")
        page.set_mode(DrawMode.MASK)
        self.drag(page.canvas, *(page.canvas.to_widget(p).toPoint() for p in ((0.7, 0.2), (0.8, 0.3), (0.95, 0.6))))
        (mask,) = self.model.draft.detection.zones
        self.assertIs(mask.kind, ZoneKind.MASK)
        self.painted(page)
        page.tool.set_zones((SQUARE, mask))
        page.select_zone(0)
        page.own_notch.setCurrentIndex(1)
        page.own_notch.activated.emit(1)
        self.assertEqual(self.model.draft.detection.zones[0].notch, self.model.camera.capability.notches[0].label)
        before = len(self.model.comparison.draft.unmarked)
        page.own_notch.setCurrentIndex(page.own_notch.count() - 1)
        page.own_notch.activated.emit(0)
        self.assertLess(len(self.model.comparison.draft.unmarked), before)
        changed = QSignalSpy(page.proposal.changed)
        page.seek.click()
        self.wait(changed)
        self.assertIn("real occurrence", page.offer_words.text())
        self.window.go("handover")
        page = self.window.pages["handover"]
        page.save(self.folder / "s.json")
        self.assertIn("Privacy mask", (self.folder / "s.json").read_text("utf-8"))
        page.save(self.folder / "s.pdf")

    def test_the_loss_of_drawing_on_a_make_with_blocks_is_told(self):
        page = self.open_camera("Slipway", "zones")
        page.commit((SQUARE,), "draw")
        self.assertRegex(
            page.limits.text(), r"Entered as blocks: \d+ cells? not as drawn, \d+ occurrences? with another"
        )
