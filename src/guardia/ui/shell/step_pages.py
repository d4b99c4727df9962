"""The page of every step, each loaded when it is first asked for, so that the window opens quickly."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import Protocol

from PyQt6.QtCore import QObject, QTimer
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.alike_model import AlikeModel

AHEAD_EVERY_MS = 150


class Shell(Protocol):
    """What a page may ask of the window around it."""

    def show_occurrence(self, camera_id: int, occurrence_id: int) -> None:
        """Open one occurrence of a camera in Evidence."""

    def show_occurrences(self, ids: tuple[int, ...], title: str) -> None:
        """Open the occurrences behind a number in Evidence."""

    def actions_of(self, *ids: str) -> list[QAction]:
        """Some of the window's actions, to be offered on a page."""

    def tabs(self, step: str) -> QWidget:
        """The row of tabs of a step that has parts."""

    def alike(self) -> AlikeModel:
        """The groups of the whole site."""

    def go(self, step: str) -> None:
        """Go to a step of the work."""

    def ask_watched(self) -> None:
        """Let the watched time of the camera be entered."""


def _evidence(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.evidence_page import EvidencePage

    page = EvidencePage(session, model, shell.tabs("evidence"))
    page.offer(shell.actions_of("join", "split", "clip_start", "cause", "undo"))
    return page


def _alike(shell: Shell, session: Session, _model: CameraModel) -> QWidget:
    from guardia.ui.steps.alike_page import AlikePage

    page = AlikePage(session, shell.alike(), shell.tabs("alike"))
    page.asked.connect(shell.show_occurrence)
    return page


def _statistics(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.statistics_page import StatisticsPage

    page = StatisticsPage(session, model, shell.tabs("statistics"))
    page.asked.connect(shell.show_occurrences)
    return page


def _coverage(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.coverage_page import CoveragePage

    page = CoveragePage(session, model, shell.tabs("coverage"), shell.ask_watched)
    page.asked.connect(shell.show_occurrences)
    return page


def _purpose(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.purpose_page import PurposePage

    page = PurposePage(session, model)
    page.asked.connect(shell.show_occurrences)
    page.opened.connect(shell.go)
    return page


def _zones(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.zones_page import ZonesPage

    page = ZonesPage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


def _tune(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.tune_page import TunePage

    page = TunePage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


def _hours(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.hours_page import HoursPage

    page = HoursPage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


def _view(_shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.view_page import ViewPage

    return ViewPage(session, model)


def _sensitivity(_shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.sensitivity_page import SensitivityPage

    return SensitivityPage(session, model)


def _storage(_shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.storage_page import StoragePage

    return StoragePage(session, model)


def _setup(_shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.setup_page import SetupPage

    return SetupPage(session, model)


def _prove(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.prove_page import ProvePage

    page = ProvePage(session, model)
    page.asked.connect(shell.show_occurrence)
    return page


def _handover(_shell: Shell, session: Session, model: CameraModel) -> QWidget:
    from guardia.ui.steps.handover_page import HandoverPage

    return HandoverPage(session, model)


PAGES: dict[str, Callable[[Shell, Session, CameraModel], QWidget]] = {
    "evidence": _evidence,
    "alike": _alike,
    "statistics": _statistics,
    "coverage": _coverage,
    "view": _view,
    "zones": _zones,
    "sensitivity": _sensitivity,
    "tune": _tune,
    "hours": _hours,
    "storage": _storage,
    "purpose": _purpose,
    "setup": _setup,
    "prove": _prove,
    "handover": _handover,
}
"""By the id of the step. Round is made with the project, before there is a camera."""


def load_ahead(parent: QObject) -> None:
    """Load what the pages need while nothing else is asked for, one module at a time: the first visit is as quick."""
    waiting = [f"guardia.ui.steps.{step}_page" for step in PAGES]
    beat = QTimer(parent)

    def load_next() -> None:
        if waiting:
            import_module(waiting.pop(0))
        else:
            beat.stop()

    beat.timeout.connect(load_next)
    beat.start(AHEAD_EVERY_MS)
