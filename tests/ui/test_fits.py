"""Every page at every size in both colours: nothing is cut, nothing lies over something else."""

import os
import subprocess
import sys
import unittest
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from unittest.mock import patch

from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QTabWidget

from guardia.app.steps.prove_model import ProveModel
from guardia.app.steps.steps import STEPS
from guardia.core.hours.modes import Mode
from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import EVERY_DAY, Edge, Special, Stretch, WeekPlan
from guardia.core.make.zones import PolygonZone, ZoneKind
from tests.ui.fits import misfits
from tests.ui.support import APP, GuiCase

SIZES = ((1100, 668), (1280, 740), (1366, 710), (1920, 1020), (2560, 1380))
"""Screens of 1100x700, 1280x800, 1366x768, 1920x1080 and 2560x1440 without panel and title bar."""

SCALE = "1.5"
SCALED = "QT_SCALE_FACTOR" in os.environ
"""Whether letters are scaled: a page may then be wider than its room, and scroll."""

NIGHTS = WeekPlan(
    (Stretch(EVERY_DAY, Edge(-20, SunEvent.DUSK), Edge(6 * 60 + 10), overnight=True),),
    (Special("harbour fair", datetime(2026, 9, 12), datetime(2026, 9, 14), "off"),),
)


class FitsTest(GuiCase):
    def test_a_page_that_grew_with_the_window_shrinks_with_it(self):
        self.window.open_demo()
        self.window.open_camera(self.window.session.camera_ids()[0], "evidence")
        for step in STEPS:
            self.window.go(step.id)
            heights = []
            for size in ((1920, 740), (1920, 1020), (1920, 740)):
                self.window.resize(*size)
                for _ in range(4):
                    APP.sendPostedEvents()
                heights.append(self.window.pages[step.id].height())
            self.assertEqual(heights[0], heights[2], step.id)
            self.assertGreater(heights[1], heights[0], step.id)

    def test_every_page_fits_with_the_largest_text(self):
        self.window.open_demo()
        self.window.open_camera(self.window.session.camera_ids()[0], "evidence")
        self.window._take_preferences(replace(self.window._preferences, text_percent=150))
        bad = []
        for step in STEPS:
            self.window.go(step.id)
            tabs = getattr(self.window.pages[step.id], "tabs", None)
            for n in range(tabs.count() if isinstance(tabs, QTabWidget) else 1):
                if isinstance(tabs, QTabWidget):
                    tabs.setCurrentIndex(n)
                bad += self.at_every_size(f"{step.id} {n}", SIZES[:2], sideways=True)
        self.assertEqual(bad, [], "\n".join(bad))

    def at_every_size(self, page: str, sizes=SIZES, *, sideways: bool = False) -> list[str]:
        bad = []
        for size in sizes:
            self.window.setMinimumSize(*size)
            self.window.setMaximumSize(*size)
            self.window.resize(*size)
            for _ in range(4):
                APP.sendPostedEvents()
            self.painted(self.window)
            if self.window.size().width() != size[0] or self.window.size().height() != size[1]:
                bad.append(f"{page} {size}: the window is {self.window.size()}")
            bad += [
                f"{page} {size[0]}x{size[1]}: {words}" for words in misfits(self.window, sideways=sideways or SCALED)
            ]
        return bad

    def test_every_page_fits_at_every_size_in_both_colours(self):
        bad = self.at_every_size("welcome")
        self.window.open_demo()
        session = self.window.session
        self.window.open_camera(session.camera_ids()[0], "evidence")
        model = session.camera(session.camera_ids()[0])
        outline = ((0.1, 0.2), (0.6, 0.2), (0.5, 0.9))
        model.change_draft(
            model.draft.with_values(
                zones=(PolygonZone(ZoneKind.WATCH, outline, "walkway and quay"),), recording_plan=NIGHTS,
                modes=(Mode("locked up for the winter", NIGHTS, late_min=20),),
            ),
            "",
        )  # fmt: skip
        for _ in range(2):
            self.window.toggle_dark()
            for step in STEPS:
                self.window.go(step.id)
                if step.id == "alike" and not (alike := self.window.alike()).groups:
                    self.wait(QSignalSpy(alike.changed))
                if step.id == "tune" and (tuning := self.window.pages["tune"].model).found is None:
                    done = QSignalSpy(tuning.changed)
                    tuning.search()
                    self.wait(done)
                tabs = getattr(self.window.pages.get(step.id), "tabs", None)
                if isinstance(tabs, QTabWidget):
                    for n in range(1, tabs.count()):
                        tabs.setCurrentIndex(n)
                        bad += self.at_every_size(f"{step.id}, {tabs.tabText(n)}", SIZES[:2])
                    tabs.setCurrentIndex(0)
                bad += self.at_every_size(step.id)
        self.assertEqual(bad, [], "\n".join(bad))

    def test_a_page_fits_while_its_figures_are_worked_out(self):
        self.window.open_demo()
        with patch.object(ProveModel, "linked", return_value=None):
            self.window.open_camera(self.window.session.camera_ids()[0], "prove")
            tabs = self.window.pages["prove"].tabs
            tabs.setCurrentIndex(next(n for n in range(tabs.count()) if tabs.tabText(n) == "Linked cameras"))
            self.assertEqual(self.at_every_size("linked", SIZES[:2]), [])

    @unittest.skipIf(SCALED, "runs scaled already")
    def test_the_same_on_a_screen_with_scaled_letters(self):
        scaled = {**os.environ, "QT_SCALE_FACTOR": SCALE}
        name = "tests.ui.test_fits.FitsTest.test_every_page_fits_at_every_size_in_both_colours"
        where = Path(__file__).parents[2]
        done = subprocess.run(
            [sys.executable, "-m", "unittest", name], env=scaled, cwd=where, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 0, done.stderr)


if __name__ == "__main__":
    unittest.main()
