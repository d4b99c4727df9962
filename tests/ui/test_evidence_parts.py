"""The parts of the step Evidence: bringing in, visits, filters, days and causes, what was missed."""

import csv
import json
import shutil
from unittest import mock

import openpyxl
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QDateTimeEdit

from guardia.app.intake.import_plan import TAKEN
from guardia.app.project.key_pictures import KeyPictures
from guardia.app.steps.occurrence_list import Role
from guardia.core.evidence.clips import Origin
from guardia.core.score.statistics import days
from guardia.store.project import Project
from guardia.ui.canvas.player import Player
from guardia.ui.steps.import_dialog import MappingDialog
from guardia.ui.steps.statistics_page import MonthView
from tests.support import DEMO, steady, write_clip
from tests.ui.test_steps import StepCase


class BringingIn(StepCase):
    def stick(self):
        """A stick as a technician gets it: folders by camera, a list, and what does not belong there."""
        stick = self.folder / "stick"
        for number, name in enumerate(("Fuel berth", "slipway", "Attic")):
            (stick / name).mkdir(parents=True)
            write_clip(stick / name / f"ch1_070926_0759{number}0.mp4", steady(3 + number, 10))
        (stick / "slipway" / "broken.mp4").write_bytes(b"\0" * 3000)
        (stick / "slipway" / "list.csv").write_text(
            "at;secs;label\n07/09/2026 07:59:10;4;person\n08/09/2026 07:59:10;4;dog\n", "utf-8"
        )
        (self.folder / "outside.mp4").write_bytes((stick / "Attic" / "ch1_070926_075920.mp4").read_bytes())
        (stick / "slipway" / "link.mp4").symlink_to(self.folder / "outside.mp4")
        return stick

    def test_a_dry_run_says_what_becomes_of_each_file_and_then_it_does(self):
        page = self.open_camera("Slipway", "evidence")
        before = len(self.model.evidence.clips)
        page.bring_in([self.stick()])
        dialog = page.importing
        model = dialog.model
        changed = QSignalSpy(model.changed)
        self.wait(changed)
        dialog.rule.setCurrentIndex(dialog.rule.findData("folder"))
        dialog.pattern.setEditText("%d%m%y_%H%M%S")
        dialog.take_pattern()
        states = {c.path.name if c.path.parent.name != "Attic" else "attic": c.state for c in model.plan.clips}
        self.assertEqual(states.pop("attic"), "no camera")
        self.assertEqual(states["broken.mp4"], "cannot be read")
        self.assertEqual(states["link.mp4"], "cannot be read")
        fresh = [c for c in model.plan.clips if c.state in TAKEN]
        self.assertEqual({model.camera_name(c.camera_id) for c in fresh}, {"Fuel berth", "Slipway"})
        starts = {c.start.isoformat() for c in fresh}
        self.assertEqual(starts, {"2026-09-07T07:59:00+01:00", "2026-09-07T07:59:10+01:00"})
        dialog.pattern.setEditText("%Q")
        dialog.take_pattern()
        self.assertFalse(dialog.go.isEnabled())
        self.assertIn("%Q is not known", dialog.problems.text())
        dialog.pattern.setEditText("%d%m%y_%H%M%S")
        dialog.take_pattern()

        # The list's columns are guessed, can be looked at and chosen.
        ((path, _),) = model.plan.lists
        mapping = MappingDialog(dialog, model, path)
        self.assertIn("2 entries can be read", mapping.told.text())
        self.assertIn("person", mapping.told.text())
        mapping.boxes["named"].setCurrentIndex(0)
        self.assertIn("no class", mapping.told.text())
        mapping.boxes["time"].setCurrentIndex(mapping.boxes["time"].findData("secs"))
        self.assertIn("0 entries", mapping.told.text())
        mapping.reject()
        mapping.deleteLater()

        finished = QSignalSpy(self.session.intake.jobs.finished)
        self.click(dialog.go)
        self.wait(finished)
        told = self.window.banner.text.toolTip()
        self.assertIn("2 clips imported, 2 clips measured. 2 entries of event lists.", told)
        self.assertIn("broken.mp4", told)
        self.assertIn("1 clip of another view", told)
        self.model.corrections.say_same_view(self.model.evidence.other_views)
        self.assertEqual(len(self.model.evidence.clips), before + 1)
        self.assertEqual(self.model.camera.time_pattern, "%d%m%y_%H%M%S")
        self.assertIn("dog", {e.named for e in self.model.evidence.events})

    def test_boxes_come_in_with_the_clip_that_bears_their_name(self):
        page = self.open_camera("Slipway", "evidence")
        folder = self.folder / "boxes"
        folder.mkdir()
        write_clip(folder / "a_20260921_120000.mp4", steady(3, 10))
        (folder / "a_20260921_120000.txt").write_text("1,7,32,18,160,90,1,-1,-1,-1\n11,7,64,18,160,90,1,-1,-1,-1\n")
        (folder / "b.txt").write_text("1,7,32,18,160,90,1,-1,-1,-1\n")
        self.bring_in(page, [folder])
        told = self.window.banner.text.toolTip()
        self.assertIn("no clip named 'b'", told)
        self.model.corrections.say_same_view(self.model.evidence.other_views)
        clip = next(c for c in self.model.evidence.clips if c.name == "a_20260921_120000.mp4")
        with Project(self.session.folder) as project:
            (boxes,) = project.lists.boxes(clip.id).values()
        self.assertEqual(boxes.box[0].tolist(), [0.1, 0.1, 0.5, 0.5])
        self.assertAlmostEqual(float(boxes.times_s[1]), 1.0, delta=0.05)
        (shown,) = [o.id for o in self.model.evidence.occurrences if o.clip_id == clip.id]
        player = Player(self.window, self.session, self.model, shown)
        player.screen_view.at_s = 1.1
        self.assertEqual(player.screen_view.given_boxes(), [((0.2, 0.1, 0.5, 0.5), "")])
        player.screen_view.at_s = 2.0
        self.assertEqual(player.screen_view.given_boxes(), [])
        player.close()

    def test_nothing_is_lost_when_it_is_brought_in_again(self):
        page = self.open_camera("Slipway", "evidence")
        folder = self.folder / "again"
        folder.mkdir()
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Slipway")
            for clip in project.clips.of(camera.id)[:2]:
                shutil.copy(project.clips.path(clip.id), folder / clip.name)
        same_name = next(folder.iterdir())
        same_name.write_bytes(same_name.read_bytes()[:-1] + b"x")  # another file of the same name and size
        before = len(self.model.evidence.clips)
        self.bring_in(page, [folder])
        self.assertEqual(len(self.model.evidence.clips), before + 1)
        self.assertEqual(self.window.banner.text.toolTip().count("is here already"), 1)


class ClockOfTheCamera(StepCase):
    def test_the_error_moves_clips_and_events_and_can_be_undone(self):
        self.open_camera("Pontoon gate", "evidence")
        given = self.model.evidence.clips[0]
        self.model.facts.give_clip_start(given.id, given.start_s + 10)
        before = {c.id: c.start_s for c in self.model.evidence.clips}
        events = [e.at_s for e in self.model.evidence.events]

        def read(dialog):
            shown, right = (dialog.findChild(QDateTimeEdit, n) for n in ("shown", "right"))
            shown.setDateTime(right.dateTime().addSecs(-90))

        self.answer(True, read)
        self.window.actions_by_id["clock"].trigger()
        self.assertEqual(self.model.camera.clock_error_s, -90.0)
        self.assertIn("1 min 30 s slow", self.window.rail.clock.text())
        moved = {c.id: c.start_s - before[c.id] for c in self.model.evidence.clips}
        self.assertEqual(moved.pop(given.id), 0.0)
        self.assertEqual(set(moved.values()), {90.0})
        self.assertEqual([e.at_s for e in self.model.evidence.events], [t + 90 for t in events])
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual({c.id: c.start_s for c in self.model.evidence.clips}, before)


class VisitsByHand(StepCase):
    def test_joined_parts_are_counted_and_judged_as_one_and_come_apart_again(self):
        page = self.open_camera("Winter store", "evidence")
        page.show_all()
        page.select_first()
        self.press(page.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
        ids = page.selected_ids()
        self.window.actions_by_id["join"].trigger()
        self.assertEqual(len({self.model.occurrence(i).visit for i in ids} - {None}), 1)
        page.select_id(ids[0])
        self.press(page.list, "v")
        self.assertEqual({self.model.occurrence(i).kind for i in ids}, {"vehicle"})
        page.select_id(ids[1])
        self.window.actions_by_id["split"].trigger()
        self.assertIsNone(self.model.occurrence(ids[1]).visit)
        self.window.actions_by_id["undo"].trigger()
        self.assertIsNotNone(self.model.occurrence(ids[1]).visit)

    def real(self, models):
        return sum(len(m.comparison.installed.real_recorded) + len(m.comparison.installed.real_missed) for m in models)

    def test_visits_over_several_clips_are_found_on_all_cameras(self):
        self.read_all()
        models = [self.session.camera(i) for i in self.session.camera_ids()]
        before = self.real(models)
        self.window.actions_by_id["join_found"].trigger()
        self.assertIn("visits counted as several", self.window.banner.text.text())
        self.assertLess(self.real(models), before)
        visits = [{o.visit for o in m.evidence.occurrences} - {None} for m in models]
        self.assertTrue(any(a & b for n, a in enumerate(visits) for b in visits[n + 1 :]), "none passes two cameras")
        self.window.actions_by_id["join_found"].trigger()
        self.assertIn("No real visit is counted twice", self.window.banner.text.text())
        self.session.undo.undo()
        self.assertEqual([o for m in models for o in m.evidence.occurrences if o.visit], [])

    def test_a_long_occurrence_is_split_at_its_quietest_moment_and_put_together_again(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        longest = max(self.model.evidence.occurrences, key=lambda o: o.end_s - o.start_s)
        page.select_id(longest.id)
        changed = QSignalSpy(self.model.evidence_changed)
        self.window.actions_by_id["split"].trigger()
        self.wait(changed)
        parts = [o for o in self.model.evidence.occurrences if o.clip_id == longest.clip_id and o.id > longest.id]
        spans = sorted((o.start_s, o.end_s) for o in parts)[-2:]
        self.assertIn(longest.end_s, {e for _, e in spans})
        self.assertTrue(all(self.model.pictures.strip(o.id) for o in parts))
        self.assertRegex(self.window.banner.text.text(), r"Split \d+\.\d s into the clip, where it is quietest")
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual(self.model.occurrence(longest.id), longest)
        self.session.occurrences.split(self.model.camera.id, longest.id, longest.start_s)
        self.assertIn("It was left whole", self.window.banner.text.text())


class Filters(StepCase):
    def test_each_filter_shows_what_it_names(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        page.more.click()
        evidence, proxy = self.model.evidence, page.proxy

        def shown():
            return [proxy.index(r, 0).data(Qt.ItemDataRole.UserRole + 1) for r in range(proxy.rowCount())]

        everything = len(shown())
        for box, check in (
            (page.kind, lambda o: o.kind == page.kind.currentData()),
            (page.light, lambda o: evidence.clip_of(o).dark is page.light.currentData()),
            (page.named, lambda o: evidence.event_of.get(o.id) is None or not evidence.event_of[o.id].named),
            (page.hours, lambda o: 6 <= self.session.local_time(evidence.span_s(o)[0]).hour < 12),
        ):
            box.setCurrentIndex(1)
            self.assertTrue(0 < len(shown()) < everything, box.accessibleName())
            self.assertTrue(all(check(o) for o in shown()), box.accessibleName())
            self.assertEqual(len(page.ribbon.marks), len(shown()))
            box.setCurrentIndex(0)
        page.hours.setCurrentIndex(page.hours.count() - 1)
        hours = {self.session.local_time(evidence.span_s(o)[0]).hour for o in shown()}
        self.assertTrue(hours and all(h >= 20 or h < 6 for h in hours))
        page.more.click()
        self.assertEqual(len(shown()), everything)
        mark = page.ribbon.marks[3]
        self.click(page.ribbon, page.ribbon.place(mark).toPoint())
        (chosen,) = page.selected_ids()
        near = next(m for m in page.ribbon.marks if m.id == chosen)
        self.assertAlmostEqual(near.hour, mark.hour, delta=0.5)


class KeyPicturesOfTheDemo(StepCase):
    def test_rows_get_their_pictures_while_the_list_is_looked_at(self):
        with mock.patch.object(KeyPictures, "want", self.want):
            drawn = QSignalSpy(self.session.key_pictures.drawn)
            page = self.open_camera("Pontoon gate", "evidence")
            page.show_all()
            page.list.grab()
            self.wait(drawn)
            number = drawn[0][0]
            self.assertIn(number, [page.proxy.index(n, 0).data(Role.OCCURRENCE).id for n in range(8)])
            self.assertTrue(self.model.pictures.strip(number))
            self.assertTrue(self.session.key_pictures.want(page.proxy.index(20, 0).data(Role.OCCURRENCE).id))


class DaysAndCauses(StepCase):
    def test_each_line_and_each_day_opens_its_occurrences_and_the_table_is_saved(self):
        page = self.open_camera("Pontoon gate", "statistics")
        self.assertEqual(
            sum(len(line.ids) for line in page.lines), self.model.comparison.installed.false_in_motion.mean
        )
        first = page.lines[0]
        page.table.cellClicked.emit(0, 0)
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertEqual(self.window.pages["evidence"].proxy.rowCount(), len(first.ids))
        self.window.go("statistics")
        month = page.findChild(MonthView)
        self.painted(month)
        busiest = max(days(self.model.evidence), key=lambda d: len(d.ids))
        for day in days(self.model.evidence):
            self.assertTrue(month.visibleRegion().contains(month.day_rect(day.date)), f"{day.date} is out of sight")
        self.click(month, month.day_rect(busiest.date).center())
        self.assertEqual(self.window.pages["evidence"].proxy.rowCount(), len(busiest.ids))
        for name in ("s.csv", "s.jsonl", "s.xlsx", "s.doc"):
            with mock.patch(
                "guardia.ui.steps.statistics_page.QFileDialog.getSaveFileName",
                return_value=(str(self.folder / name), ""),
            ):
                page.ask_save()
        self.assertIn("names no form of table", self.window.banner.text.text())
        with (self.folder / "s.csv").open(encoding="utf-8-sig") as file:
            rows = list(csv.DictReader(file))
        self.assertEqual([(r["name"], int(r["count"])) for r in rows], [(x.name, len(x.ids)) for x in page.lines])
        lines = [json.loads(line) for line in (self.folder / "s.jsonl").read_text("utf-8").splitlines()]
        self.assertEqual(lines[0]["per_day"], first.rate)
        sheet = openpyxl.load_workbook(self.folder / "s.xlsx").active
        self.assertEqual((sheet["C2"].value, sheet["D2"].value), (first.name, len(first.ids)))

    def test_all_occurrences_are_saved_with_their_outcomes(self):
        self.open_camera("Pontoon gate", "evidence")
        target = self.folder / "all.jsonl"
        with mock.patch(
            "guardia.ui.shell.project_commands.QFileDialog.getSaveFileName", return_value=(str(target), "")
        ):
            self.window.actions_by_id["save_list"].trigger()
        rows = [json.loads(line) for line in target.read_text("utf-8").splitlines()]
        self.assertEqual({r["camera"] for r in rows}, {self.session.camera_name(i) for i in self.session.camera_ids()})
        mine = [r for r in rows if r["camera"] == "Pontoon gate"]
        self.assertEqual(len(mine), len(self.model.evidence.occurrences))
        missed = {r["begin"] for r in mine if r["verdict"] == "real" and r["installed"] == "missed" and r["counted"]}
        self.assertEqual(len(missed), len(self.model.comparison.installed.real_missed))


class WhatWasMissed(StepCase):
    def test_what_no_record_covers_is_shown_and_taken_up(self):
        page = self.open_camera("Fuel berth", "coverage")
        found = self.model.occurrences.uncovered()
        self.assertTrue(found)
        page.show_found.click()
        self.assertEqual(self.window.current_step(), "evidence")
        shown = self.window.pages["evidence"].proxy.rowCount()
        self.assertEqual(shown, len([u for u in found if u.occurrence_id is not None]))
        # Put the first away, as an earlier version without it would have it: the search offers it again.
        gone = next(u.occurrence_id for u in found if u.occurrence_id is not None)
        with Project(self.session.folder) as project:
            project.occurrences.show([], [gone])
        self.model.reload()
        self.window.go("coverage")
        self.assertTrue(page.take_up.isEnabled())
        changed = QSignalSpy(self.model.evidence_changed)
        self.click(page.take_up)
        self.wait(changed)
        self.assertFalse(page.take_up.isEnabled())
        newest = max(self.model.evidence.occurrences, key=lambda o: o.id)
        self.assertEqual(newest.kind, "")
        self.assertTrue(self.model.pictures.strip(newest.id))
        self.session.undo.undo()
        self.assertTrue(page.take_up.isEnabled())


class AlikeGroups(StepCase):
    def test_a_group_is_judged_its_odd_one_apart_and_all_is_undone(self):
        self.open_camera("Pontoon gate", "evidence")
        self.window.go("alike")
        page = self.window.pages["alike"]
        if not page.model.groups:
            changed = QSignalSpy(page.model.changed)
            self.wait(changed)
        model = page.model
        group = next(n for n in range(len(model.groups)) if len(model.groups[n].ids) >= 5)
        ids = model.groups[group].ids
        before = {i: model.occurrence(i).kind for i in ids}
        model.judge(ids, "")
        model.go(group)
        self.assertEqual(page.sheet.model().rowCount(), len(ids))
        self.assertEqual(set(page.chosen_ids()), set(ids))
        self.click(page.sheet.viewport(), page.sheet.visualRect(page.sheet.model().index(0)).center())
        self.assertEqual(page.chosen_ids(), [ids[0]])
        self.press(page.sheet, "x")
        self.assertEqual(model.occurrence(ids[0]).kind, "other_false")
        self.assertEqual(set(page.chosen_ids()), set(ids[1:]))
        self.press(page.list, "p")
        self.assertEqual([model.occurrence(i).kind for i in ids], ["other_false", *["person"] * (len(ids) - 1)])
        for _ in range(3):
            self.session.undo.undo()
        self.assertEqual({i: model.occurrence(i).kind for i in ids}, before)
        self.painted(page)
        page.show_chosen()
        self.assertEqual(self.window.current_step(), "evidence")

    def test_a_split_leaves_its_group_and_its_parts_join_the_comparison(self):
        self.open_camera("Pontoon gate", "evidence")
        self.window.go("alike")
        page = self.window.pages["alike"]
        if not page.model.groups:
            self.wait(QSignalSpy(page.model.changed))
        self.window.go("evidence")
        mine = [i for g in page.model.groups for i in g.ids if page.model.camera_of(i) == self.model.camera.id]
        longest = max(mine, key=lambda i: self.model.occurrence(i).end_s - self.model.occurrence(i).start_s)
        gone = QSignalSpy(page.model.changed)
        self.session.occurrences.split(self.model.camera.id, longest)
        self.wait(gone)
        self.assertNotIn(longest, [i for g in page.model.groups for i in g.ids])
        page.model.suggestion(0)
        regrouped = QSignalSpy(page.model.changed)
        self.window.go("alike")
        self.wait(regrouped)
        self.assertEqual(sum(page.model.camera_of(i) == self.model.camera.id for g in page.model.groups for i in g.ids),
                         len(mine) + 1)  # fmt: skip

    def test_a_suggestion_is_taken_with_enter_and_all_evidence_can_be_compared(self):
        self.open_camera("Pontoon gate", "evidence")
        self.window.go("alike")
        page = self.window.pages["alike"]
        changed = QSignalSpy(page.model.changed)
        page.scope.setCurrentIndex(1)
        page.scope.activated.emit(1)
        self.wait(changed)
        origins = {
            self.session.camera(page.model.camera_of(i)).evidence.clip_of(page.model.occurrence(i)).origin
            for group in page.model.groups
            for i in group.ids
        }
        self.assertIn(Origin.CONTINUOUS, origins)
        model = page.model
        told = {n: model.suggestion(n) for n in range(len(model.groups)) if model.waiting(n)}
        number = max(told, key=lambda n: told[n].certainty)
        waiting = model.waiting(number)
        model.go(number)
        self.press(page.sheet, Qt.Key.Key_Return)
        self.assertEqual({model.occurrence(i).kind for i in waiting}, {told[number].kind})
