"""Pictures of every main view from the demo, for the documentation."""

from __future__ import annotations

import tempfile
from dataclasses import fields
from pathlib import Path

from PIL import Image
from PyQt6.QtCore import QEventLoop, QObject, QRect, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtWidgets import QApplication, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.demo import own_demo
from guardia.app.project.key_pictures import draw_lacking
from guardia.app.project.session import Session
from guardia.app.steps.steps import STEPS
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Token
from guardia.core.base.errors import ProjectError
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.purpose.judgement import Verdict
from guardia.ui.parts.theme import LIGHT, THEME
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.run import make_application
from guardia.ui.steps.alike_page import AlikePage
from guardia.ui.steps.evidence_page import EvidencePage
from guardia.ui.steps.prove_page import ProvePage
from guardia.ui.steps.sensitivity_page import SensitivityPage
from guardia.ui.steps.storage_page import StoragePage
from guardia.ui.steps.tune_page import TunePage
from guardia.ui.steps.view_page import ViewPage
from guardia.ui.steps.zones_page import ZonesPage

SIZE = (1280, 800)
EXAMPLE_CAMERA = "Pontoon gate"
EXAMPLE_ZONE = PolygonZone(
    ZoneKind.WATCH,
    ((0.44, 0.24), (0.56, 0.24), (0.68, 0.75), (1.0, 0.78), (1.0, 1.0), (0.22, 1.0), (0.22, 0.76), (0.36, 0.75)),
    "walkway and quay",
)
"""A watch zone as a technician might draw it at the pontoon gate."""

HOURS_CAMERA = "Workshop door"
"""Its night was entered up to midnight only."""


FRAME, GAP_PX, LINE_PX = QSize(720, 450), 14, 24
"""Size of each step in the picture of the main job, and the room between them and for their words."""

MAIN_JOB = (
    ("evidence", "Judge what was recorded: one key for each occurrence"),
    ("tune", "Search better settings, proved on days held out"),
    ("zones", "See the score follow while you correct a zone"),
    ("handover", "Hand over the sheet, enter it, compare the next week"),
)
"""Which pictures show the main job, in order."""


def take_screenshots(folder: Path) -> list[Path]:
    """Take the pictures, from a fresh copy of the demo, at a fixed size."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=folder):
            pass
    except OSError as error:
        raise ProjectError(
            f"No picture can be saved in {folder} ({error.strerror}).", do="Choose another folder."
        ) from error
    app = make_application()
    taken: list[Path] = []
    with tempfile.TemporaryDirectory() as home:
        draw_lacking(own_demo(Path(home)), token=Token())
        window = MainWindow(Path(home))
        window.resize(*SIZE)
        window.show()
        taken.append(_take(app, window, folder / "welcome.png"))
        window.open_demo()
        session = window.session
        if session is None:
            return taken
        _wait_for_cameras(session)
        taken.append(_take(app, window, folder / "round.png"))
        camera_id = next(i for i in session.camera_ids() if session.camera_name(i) == EXAMPLE_CAMERA)
        window.open_camera(camera_id, "evidence")
        model = session.camera(camera_id)
        model.change_draft(
            model.draft.with_values(zones=(EXAMPLE_ZONE,), hold_s=0.6, rest_s=5.0), "example for the pictures"
        )
        for step in (s.id for s in STEPS if s.needs_camera and s.id != "hours"):
            window.go(step)
            page = window.pages[step]
            _make_ready(page, model)
            if isinstance(page, EvidencePage):
                taken.append(_take_player(session, page, folder / "player.png"))
                taken.append(_take_bring_in(session, page, folder / "bring-in.png"))
            taken.append(_take(app, window, folder / f"{step}.png"))
        window.open_camera(next(i for i in session.camera_ids() if session.camera_name(i) == HOURS_CAMERA), "hours")
        taken.append(_take(app, window, folder / "hours.png"))
        window.close()
        taken.append(_take_main_job(folder))
    for path in taken:
        with Image.open(path) as picture:
            small = _in_few_colours(picture.convert("RGB"))
        small.save(path, optimize=True)  # the repository keeps every version of these for ever
    return taken


def _make_ready(page: QWidget, model: CameraModel) -> None:
    """Choose what the picture is to show, and wait until it is there."""
    if isinstance(page, AlikePage):
        _wait_for_groups(page)
    if isinstance(page, EvidencePage):
        page.show_all()
        page.select_first()
    if isinstance(page, ViewPage):
        _wait_for_view(page)
    if isinstance(page, ZonesPage):
        page.select_zone(0)
    if isinstance(page, TunePage):
        _wait_for_tuning(page)
    if isinstance(page, StoragePage):
        model.change_draft(model.draft.with_values(quality="low"), "example for the pictures")
        _wait_for_answers(page)
    if isinstance(page, ProvePage):
        page.model.ask(page.model.offers()[0][1].replace(tzinfo=None), page.model.question)
    if isinstance(page, SensitivityPage):
        model.select((next(o for o in model.evidence.occurrences if o.verdict is Verdict.REAL).id,))


def _in_few_colours(picture: Image.Image) -> Image.Image:
    """The picture in 256 colours, those of the theme among them: rare marks keep their meaning."""
    theme = [QColor(getattr(LIGHT, field.name)).getRgb()[:3] for field in fields(LIGHT)]
    usual = picture.quantize(256 - len(theme), dither=Image.Dither.NONE).getpalette() or []
    palette = Image.new("P", (1, 1))
    palette.putpalette([*usual[: 3 * (256 - len(theme))], *(part for colour in theme for part in colour or ())])
    return picture.quantize(palette=palette, dither=Image.Dither.NONE)


def _wait_for_cameras(session: Session) -> None:
    """Wait until all evidence is read."""
    while not all(session.is_loaded(i) for i in session.camera_ids()):
        waiting = QEventLoop()
        session.cameras_changed.connect(waiting.quit)
        session.camera_opened.connect(waiting.quit)
        waiting.exec()


def _wait_for_groups(page: AlikePage) -> None:
    """Wait until all occurrences are compared, and show the largest group."""
    if not page.model.groups:
        waiting = QEventLoop()
        page.model.changed.connect(waiting.quit)
        waiting.exec()
    page.model.go(page.model.current or 0)


def _wait_for_tuning(page: TunePage) -> None:
    """Search, and wait for what is found."""
    waiting = QEventLoop()
    page.model.jobs.finished.connect(waiting.quit)
    page.search.click()
    waiting.exec()


def _wait_for_answers(page: StoragePage) -> None:
    """Wait until it is worked out what would be otherwise."""
    if page.model.ask() is None:
        waiting = QEventLoop()
        page.model.asking.changed.connect(waiting.quit)
        waiting.exec()
    page.tabs.setCurrentWidget(page.answers)


def _wait_for_view(page: ViewPage) -> None:
    """Wait until the person of the walk test is followed."""
    waiting = QEventLoop()
    page.model.jobs.finished.connect(waiting.quit)
    page.model.from_walk_test()
    waiting.exec()


def _take_main_job(folder: Path) -> Path:
    """Put the steps of the main job into one picture, each with what is done there."""
    whole = QImage(
        2 * FRAME.width() + 3 * GAP_PX, 2 * (FRAME.height() + LINE_PX) + 3 * GAP_PX, QImage.Format.Format_RGB32
    )
    whole.fill(THEME.colour("page"))
    painter = QPainter(whole)
    painter.setFont(QApplication.font())
    painter.setPen(THEME.colour("ink"))
    for number, (name, words) in enumerate(MAIN_JOB):
        left = GAP_PX + number % 2 * (FRAME.width() + GAP_PX)
        top = GAP_PX + number // 2 * (FRAME.height() + LINE_PX + GAP_PX)
        painter.drawText(QRect(left, top, FRAME.width(), LINE_PX), 0, f"{number + 1}  {words}")
        picture = QImage(str(folder / f"{name}.png"))
        smooth = Qt.TransformationMode.SmoothTransformation
        painter.drawImage(left, top + LINE_PX, picture.scaled(FRAME, Qt.AspectRatioMode.KeepAspectRatio, smooth))
    painter.end()
    path = folder / "main-job.png"
    whole.save(str(path))
    return path


def _take_bring_in(session: Session, page: EvidencePage, path: Path) -> Path:
    """Take the dialog that brings evidence in, on files as a camera names them, one of them damaged."""
    with tempfile.TemporaryDirectory() as stick:
        there = sorted((session.folder / "media").glob("*.mp4"))[:14]
        for number, clip in enumerate(there):
            (Path(stick) / f"pontoon-gate_20260921_{7 + number:02d}1530.mp4").symlink_to(clip)
        (Path(stick) / "pontoon-gate_20260921_221530.mp4").write_bytes(b"cut off")
        rows = "".join(f"21/09/2026 {7 + n:02d}:15:33;{4 + n % 3},5;person;yes\n" for n in range(14))
        (Path(stick) / "events.csv").write_text("Start;Length;Object;Alert sent\n" + rows, "utf-8")
        page.bring_in([Path(stick) / f.name for f in sorted(Path(stick).iterdir())])
        waiting = QEventLoop()
        page.importing.model.changed.connect(waiting.quit)
        waiting.exec()
        settled = QEventLoop()
        QTimer.singleShot(50, settled.quit)
        settled.exec()
        page.importing.grab().save(str(path))
        page.importing.reject()
    return path


def _take_player(session: Session, page: EvidencePage, path: Path) -> Path:
    """Wait until the pictures of the selected occurrence are read, and take the player at the most motion."""
    waiting = QEventLoop()
    session.pictures.finished.connect(waiting.quit)
    page.look()
    waiting.exec()
    page.player.to_motion()
    page.player.grab().save(str(path))
    page.player.reject()
    return path


def _wait_until_idle(page: QWidget | None) -> None:
    """Wait until a page's view-model has nothing under way, such as people that are followed for their size."""
    model = getattr(page, "model", None)
    for runner in model.findChildren(JobRunner) if isinstance(model, QObject) else ():
        while runner.busy:
            waiting = QEventLoop()
            runner.finished.connect(waiting.quit)
            waiting.exec()


def _take(app: QApplication, window: MainWindow, path: Path) -> Path:
    _wait_until_idle(window.pages[window.current_step()])
    for _ in range(3):  # a new height asks for a new layout, which asks again
        app.sendPostedEvents()
    window.grab().save(str(path))
    return path
