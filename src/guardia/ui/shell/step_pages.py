"""The page of every step."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.alike_model import AlikeModel
from guardia.ui.steps.alike_page import AlikePage
from guardia.ui.steps.coverage_page import CoveragePage
from guardia.ui.steps.evidence_page import EvidencePage
from guardia.ui.steps.handover_page import HandoverPage
from guardia.ui.steps.hours_page import HoursPage
from guardia.ui.steps.prove_page import ProvePage
from guardia.ui.steps.purpose_page import PurposePage
from guardia.ui.steps.sensitivity_page import SensitivityPage
from guardia.ui.steps.setup_page import SetupPage
from guardia.ui.steps.statistics_page import StatisticsPage
from guardia.ui.steps.storage_page import StoragePage
from guardia.ui.steps.tune_page import TunePage
from guardia.ui.steps.view_page import ViewPage
from guardia.ui.steps.zones_page import ZonesPage


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
    page = EvidencePage(session, model, shell.tabs("evidence"))
    page.offer(shell.actions_of("join", "split", "clip_start", "cause", "undo"))
    return page


def _alike(shell: Shell, session: Session, _model: CameraModel) -> QWidget:
    page = AlikePage(session, shell.alike(), shell.tabs("alike"))
    page.asked.connect(shell.show_occurrence)
    return page


def _statistics(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = StatisticsPage(session, model, shell.tabs("statistics"))
    page.asked.connect(shell.show_occurrences)
    return page


def _coverage(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = CoveragePage(session, model, shell.tabs("coverage"), shell.ask_watched)
    page.asked.connect(shell.show_occurrences)
    return page


def _purpose(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = PurposePage(session, model)
    page.asked.connect(shell.show_occurrences)
    page.opened.connect(shell.go)
    return page


def _zones(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = ZonesPage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


def _tune(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = TunePage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


def _hours(shell: Shell, session: Session, model: CameraModel) -> QWidget:
    page = HoursPage(session, model)
    page.asked.connect(shell.show_occurrences)
    return page


PAGES: dict[str, Callable[[Shell, Session, CameraModel], QWidget]] = {
    "evidence": _evidence,
    "alike": _alike,
    "statistics": _statistics,
    "coverage": _coverage,
    "view": lambda _shell, session, model: ViewPage(session, model),
    "zones": _zones,
    "sensitivity": lambda _shell, session, model: SensitivityPage(session, model),
    "tune": _tune,
    "hours": _hours,
    "storage": lambda _shell, session, model: StoragePage(session, model),
    "purpose": _purpose,
    "setup": lambda _shell, session, model: SetupPage(session, model),
    "prove": lambda _shell, session, model: ProvePage(session, model),
    "handover": lambda _shell, session, model: HandoverPage(session, model),
}
"""By the id of the step. Round is made with the project, before there is a camera."""
