"""A stranger's first hour: my camera described, how it is set, clips dropped on the window."""

import json
from importlib import resources
from unittest import mock

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QWizard

from guardia.app.camera.makes import capability_data, unsaid_settings
from guardia.app.project.session import Session
from guardia.app.steps.guide import ORDER, PART_OF_STEP, guide, part_for
from guardia.app.steps.steps import STEPS
from guardia.core.hours.periods import Period
from guardia.core.hours.plan import EVERY_DAY
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.described import Menus, ScaleShown, ZonesDrawn, make_of
from guardia.core.make.settings import Settings, settings_to_dict
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from guardia.report.analytics_xml import analytics_xml
from guardia.ui.shell.guide_dialog import GuideDialog
from guardia.ui.shell.my_camera import MyCamera
from guardia.ui.steps.periods_dialog import ModeDialog
from guardia.ui.steps.zones_dialog import ZonesDialog
from tests.support import scene, steady, write_clip
from tests.ui.support import APP, GuiCase

HUB = make_of(
    Menus("Hub camera", zones=ZonesDrawn.CORNERS, max_zones=2, scale=ScaleShown.STEPS, steps=("low", "medium", "high"))
)


class Describing(GuiCase):
    def wizard(self):
        wizard = MyCamera(self.window)
        wizard.show()
        return wizard

    def on(self, wizard):
        self.click(wizard.button(QWizard.WizardButton.NextButton))
        return wizard.currentId()

    def test_answers_become_a_make_and_what_contradicts_itself_holds_the_page(self):
        wizard = self.wizard()
        self.assertEqual(self.on(wizard), 0)
        self.assertIn("needs a name", wizard.currentPage().trouble.text())
        wizard.name.setText("Porch camera")
        wizard.zones.choose(ZonesDrawn.BLOCKS)
        self.assertTrue(wizard.across.isVisible() and not wizard.max_corners.isVisible(), "only what applies is asked")
        wizard.across.setValue(22)
        wizard.down.setValue(18)
        self.assertEqual(self.on(wizard), 1)
        wizard.scale.choose(ScaleShown.STEPS)
        wizard.steps.setText("low, high, high")
        self.assertEqual(self.on(wizard), 1)
        self.assertIn("called 'high'", wizard.currentPage().trouble.text())
        wizard.steps.setText("low, medium, high")
        self.assertIn("low, medium, high", wizard.told_levels.text())
        self.click(wizard.classes.ticks["person"])
        self.assertFalse(wizard.classes.unknown.isChecked())
        wizard.by_day_m.setValue(12)
        self.assertEqual(self.on(wizard), 1)
        self.assertIn("by day and at night", wizard.currentPage().trouble.text())
        wizard.at_night_m.setValue(8)
        self.assertEqual(self.on(wizard), 2)
        wizard.rest_s.setText("soon")
        self.assertEqual(self.on(wizard), 2)
        self.assertIn("'soon' are no seconds", wizard.currentPage().trouble.text())
        wizard.rest_s.setText("0, 30 s; 60")
        wizard.until_still.setChecked(True)
        self.assertEqual(self.on(wizard), 3)
        wizard.extras.setPlainText("siren: off, on")
        wizard.qualities.setPlainText("best = 1920")
        self.click(wizard.button(QWizard.WizardButton.FinishButton))
        self.assertIn("'best = 1920' cannot be read", wizard.currentPage().trouble.text())
        wizard.second.setText("fast")
        self.click(wizard.button(QWizard.WizardButton.FinishButton))
        self.assertIn("'fast' is no rate", wizard.currentPage().trouble.text())
        wizard.second.setText("0,5")
        wizard.snapshot_s.setText("60")
        wizard.qualities.setPlainText("best: 1920 x 1080 15\nsaver: 640x360")
        wizard.save(self.folder / "porch.json", make_of(wizard.menus()))
        self.click(wizard.button(QWizard.WizardButton.FinishButton))
        make = capability_from_dict(wizard.make)
        self.assertEqual((make.blocks, [n.label for n in make.notches]), ((22, 18), ["low", "medium", "high"]))
        self.assertEqual((make.rest_choices_s, make.length_choices_s), ((0.0, 30.0, 60.0), (None,)))
        self.assertEqual((make.object_classes, make.extras[0].choices), (("person",), ("off", "on")))
        self.assertEqual([q.label for q in make.storage.qualities], ["best", "saver"])
        self.assertEqual((make.class_range_m, make.storage.second_mbit_s), ((12, 8), 0.5))
        self.assertEqual(make.storage.snapshot_choices_s, (0.0, 60.0))
        self.assertEqual(json.loads((self.folder / "porch.json").read_text("utf-8"))["id"], "porch-camera")


class AsItIs(GuiCase):
    def opened(self, make):
        Session.create(self.folder / "site", "Corner shop", "Europe/Amsterdam")
        self.window.open_project(self.folder / "site")
        camera = self.window.session.add_camera("Back door", make)
        self.window.open_camera(camera, "evidence")
        self.window.commands.ask_installed()
        return self.window.session.camera(camera), self.window.commands.as_it_is

    def test_what_is_left_stays_not_known_and_cancel_says_nothing(self):
        model, dialog = self.opened(HUB | {"extras": [{"name": "siren", "choices": ["off", "on"]}]})
        before = model.camera.installed
        self.assertEqual(before, unsaid_settings(model.camera.capability))
        dialog.choose("notch", "medium")
        dialog.reject()
        self.assertEqual(model.camera.installed, before)
        self.assertIn("Nothing that this camera recorded", self.window._begin.words.text())
        self.window.commands.ask_installed()
        dialog = self.window.commands.as_it_is
        dialog.choose("notch", "medium")
        dialog.choose("zones", ())
        dialog.extras["siren"].setCurrentIndex(2)
        with mock.patch("guardia.ui.steps.as_it_is_dialog.PeriodsDialog") as periods:
            periods.return_value.exec.return_value = 1
            periods.return_value.periods.return_value = [Period(day, 1320, 1800) for day in EVERY_DAY]
            dialog.type_hours("alert_plan")
        known = len(dialog.boxes) - len(model.camera.installed.not_known) + 3 + 1
        self.assertTrue(dialog.said.text().startswith(f"{known} of "), (dialog.said.text(), known))
        dialog.accept()
        now = model.camera.installed
        self.assertEqual((now.detection.notch, now.other.extras), ("medium", (("siren", "on"),)))
        self.assertTrue(now.hours.alert_plan is not None and "alert_plan" not in now.not_known)
        self.assertEqual({*before.not_known} - {*now.not_known}, {"notch", "zones", "alert_plan"})
        self.assertEqual((model.draft, model.corrections.logbook()), (now, []))
        self.window.commands.ask_installed()
        dialog = self.window.commands.as_it_is
        dialog.forget("notch")
        dialog.accept()
        self.assertIn("notch", model.camera.installed.not_known)

    def test_a_mode_that_nobody_had_entered_is_added(self):
        model, dialog = self.opened(HUB)

        def add(name, *, alerts):
            def typed(mode):
                mode.accept()  # without a name
                self.assertIn("A mode's name", mode.said.text())
                mode.name.setText(name)
                mode.alerts.setChecked(alerts)
                mode.accept()
                return mode.result()

            with mock.patch.object(ModeDialog, "exec", typed):
                dialog.add_mode()

        add("shut", alerts=True)
        add("open", alerts=False)
        add("shut", alerts=False)
        dialog.accept()
        now = model.camera.installed
        self.assertEqual([(m.name, m.alerts, m.records) for m in now.hours.modes],
                         [("open", False, True), ("shut", False, True)])  # fmt: skip
        self.assertNotIn("modes", now.not_known)

    def test_a_file_of_the_camera_fills_in_what_it_says(self):
        make = capability_data("grid-zone-recorder")
        model, dialog = self.opened(make)
        capability = model.camera.capability
        zone = BlockZone(*capability.blocks, tuple(n % 3 == 0 for n in range(capability.blocks.cells)))
        set_ = Settings.of(capability.id, "4", zones=(zone,), rest_s=capability.rest_choices_s[-1])
        xml, sheet = self.folder / "camera.xml", self.folder / "settings.json"
        xml.write_bytes(analytics_xml("Back door", set_, capability))
        sheet.write_text(json.dumps(settings_to_dict(set_)), "utf-8")
        dialog.fill_from(xml)
        filled = dialog.settings()
        self.assertEqual((filled.detection.notch, filled.detection.zones[0].active), ("4", zone.active))
        self.assertNotEqual(filled.recording.rest_s, set_.recording.rest_s)
        self.assertIn("Sensitivity 80 of 100 is taken for level '4'", dialog.said.text())
        dialog.fill_from(sheet)
        self.assertEqual(dialog.settings().recording.rest_s, set_.recording.rest_s)
        for text, words in (
            ("<a><b>", "cannot be read as XML"), ("<a/>", "says nothing of motion"), ("{", "neither JSON nor XML"),
            (json.dumps(settings_to_dict(Settings.of("other"))), "for the make 'other'"), ("[]", "holds no settings"),
            ('<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>', "cannot be read as XML"),
        ):  # fmt: skip
            xml.write_text(text, "utf-8")
            before = dialog.settings()
            dialog.fill_from(xml)
            self.assertIn(words, dialog.said.text())
            self.assertEqual(dialog.settings(), before)
        dialog.reject()

    def test_zones_are_drawn_as_they_are_on_the_camera_and_the_draft_stays(self):
        model, as_it_is = self.opened(HUB)
        as_it_is.reject()
        dialog = ZonesDialog(self.window, model, ())
        dialog.show()
        for x, y in ((0.2, 0.2), (0.8, 0.2), (0.8, 0.9)):
            self.click(dialog.canvas, dialog.canvas.to_widget((x, y)).toPoint())
        self.press(dialog.canvas, Qt.Key.Key_Return)
        (zone,) = dialog.zones()
        self.assertEqual((type(zone), zone.kind), (PolygonZone, ZoneKind.WATCH))
        self.click(dialog._back)
        self.assertEqual(dialog.zones(), ())
        self.assertFalse(dialog._back.isEnabled())
        self.assertEqual(model.draft.detection.zones, ())
        dialog.close()


class Dropped(GuiCase):
    def card(self, *cameras):
        card = self.folder / "Boat house"
        for number, camera in enumerate(cameras):
            (card / camera).mkdir(parents=True)
            write_clip(
                card / camera / "20260907_080000.mp4", steady(6, 5), picture=lambda t, n=number: scene(t + n / 1000)
            )
        return card

    def drop(self, *paths):
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
        at, act = QPointF(200, 200), Qt.DropAction.CopyAction
        keys = (data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        enter = QDragEnterEvent(at.toPoint(), act, *keys)
        APP.sendEvent(self.window, enter)
        self.assertTrue(enter.isAccepted())
        APP.sendEvent(self.window, QDropEvent(at, act, *keys))
        APP.processEvents()

    def test_a_folder_dropped_on_the_first_page_is_a_project_with_its_cameras_and_clips(self):
        card = self.card("Gate", "Door")
        with mock.patch("guardia.app.project.preferences.user_documents_dir", return_value=str(self.folder / "docs")):
            self.drop(card)
        session = self.window.session
        jobs = session.intake.jobs
        if jobs.busy:
            self.wait(QSignalSpy(jobs.finished))
        self.assertEqual(
            (session.site.name, sorted(c.name for c in session.cameras.all().values())),
            ("Boat house", ["Door", "Gate"]),
        )
        self.assertEqual([len(session.camera(i).evidence.clips) for i in session.camera_ids()], [1, 1])
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertIn("Its make is not known", self.window._begin.words.text())
        self.assertTrue(self.window._begin.make.isVisible())
        session.camera(self.window.camera_id).corrections.set_make(HUB)
        self.assertIn("Not known how it is set", self.window._begin.words.text())
        self.assertFalse(self.window._begin.make.isVisible())

        # Dropped again, names tell whose the clips are, whichever camera is open; they are here already.
        self.drop(card)
        dialog = self.window.pages["evidence"].importing
        if not dialog.model.plan.clips:
            self.wait(QSignalSpy(dialog.model.changed))
        self.assertEqual({c.state for c in dialog.model.plan.clips}, {"perhaps here"})
        self.assertEqual((dialog.model.rule, dialog.rule.currentData()), ("folder", "folder"))
        dialog.reject()
        self.drop(self.folder / "docs" / "Guardia" / "boat-house")
        self.assertEqual(self.window.current_step(), "round")

    def test_what_holds_no_clip_is_told_and_nothing_is_made(self):
        (self.folder / "empty").mkdir()
        with mock.patch("guardia.app.project.preferences.user_documents_dir", return_value=str(self.folder / "docs")):
            self.drop(self.folder / "empty")
        self.assertIn("There is no clip in empty", self.window.banner.text.text())
        self.assertIsNone(self.window.session)
        self.assertFalse((self.folder / "docs").exists())


class Guide(GuiCase):
    def test_f1_opens_the_part_that_fits_the_page(self):
        parts = {part.id: part for part in guide()}
        self.assertEqual(list(parts), list(ORDER))
        shipped = (resources.files("guardia") / "data" / "guide").iterdir()
        self.assertEqual({f"{name}.md" for name in parts}, {file.name for file in shipped})
        self.assertEqual({*PART_OF_STEP} - {step.id for step in STEPS}, set())
        for step in ("", *(step.id for step in STEPS)):
            self.assertIn(part_for(step), parts)
        self.assertEqual(part_for("storage", on_battery=True), "battery")
        self.window.actions_by_id["guide"].trigger()
        (dialog,) = self.window.findChildren(GuideDialog)
        self.assertIn("Drop the folder on the window", dialog.text.toPlainText())
        dialog.open_part("words")
        self.assertIn("minimum duration", dialog.text.toPlainText())
        self.painted(dialog)
        dialog.close()
        Session.create(self.folder / "site", "Corner shop", "Europe/Amsterdam")
        self.window.open_project(self.folder / "site")
        self.window.actions_by_id["guide"].trigger()
        dialog = self.window.findChildren(GuideDialog)[-1]
        self.assertEqual(dialog.list.currentItem().text(), parts["weekly-round"].title)
        dialog.close()
