"""The window: the steps of the work on the left, one step in the middle, the score beside it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtGui import QAction, QCloseEvent, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.demo import own_demo
from guardia.app.project.preferences import load_preferences, save_preferences
from guardia.app.project.session import Session
from guardia.app.steps.actions import ACTIONS
from guardia.app.steps.alike_model import AlikeModel
from guardia.app.steps.steps import STEPS, step_of, tabs_of
from guardia.app.work.jobs import Progress
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.evidence.clock import error_words
from guardia.core.evidence.evidence import Origin
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import button, label, tabs
from guardia.ui.shell.banner import Banner
from guardia.ui.shell.dialogs import (
    about_html,
    ask_cause,
    ask_clock_error,
    ask_new_camera,
    ask_new_project,
    ask_start,
    keys_html,
    show_history,
    show_text,
)
from guardia.ui.shell.palette import Palette
from guardia.ui.shell.step_pages import PAGES
from guardia.ui.shell.welcome_page import WelcomePage
from guardia.ui.steps.evidence_page import EvidencePage
from guardia.ui.steps.round_page import RoundPage
from guardia.ui.steps.score_panel import ScorePanel
from guardia.ui.steps.times_dialogs import EpochsDialog, WatchedDialog

FRAME_PX = (4, 32)
"""Room that the window's frame and title bar take on the screen, across and down."""


class MainWindow(QMainWindow):
    """One window on one project, or on none yet.

    Parameters
    ----------
    data_home
        Folder for the program's data, where the demo is copied to.
    """

    def __init__(self, data_home: Path) -> None:
        super().__init__()
        self._data_home = data_home
        self.messages = MessageHub(self)
        self.session: Session | None = None
        self.camera_id: int | None = None
        self.pages: dict[str, QWidget] = {}
        self._alike: AlikeModel | None = None
        self.setWindowTitle("Guardia")
        self.setMinimumSize(1100, 700)
        self._preferences, told = load_preferences(data_home)
        self._resize_to_fit(self._preferences.width, self._preferences.height)
        self._set_dark(self._preferences.dark)
        self.actions_by_id = self._make_actions()
        self._build()
        self.messages.shown.connect(self.banner.show_message)
        self.messages.ready()
        for line in told:
            self.messages.tell(line, Severity.WARNING)
        self._show_welcome()

    def _resize_to_fit(self, width: int, height: int) -> None:
        """Take a size, but not more than the screen has beside its panels and the window's own frame."""
        screen = self.screen()
        room = screen.availableGeometry() if screen is not None else None
        if room is not None:
            width, height = min(width, room.width() - FRAME_PX[0]), min(height, room.height() - FRAME_PX[1])
        self.resize(width, height)

    def _make_actions(self) -> dict[str, QAction]:
        acts: dict[str, Callable[[], object]] = {
            "new": self.new_project, "open": self.choose_project, "demo": self.open_demo, "quit": self.close,
            "add_camera": self.add_camera, "bring_in": lambda: self._evidence().bring_in(),
            "reset_draft": self.reset_draft,
            "clip_start": self.ask_clip_start,
            "history": self.show_history, "clock": self.ask_clock, "save_list": self.save_list,
            "watched": self.ask_watched, "epochs": lambda: self._open_times(EpochsDialog),
            "cause": self.ask_cause,
            "join": self.join, "split": self.split, "join_found": self.join_found,
            "palette": self.show_palette,
            "undo": lambda: self.session and self.session.undo.undo(),
            "redo": lambda: self.session and self.session.undo.redo(),
            "dark": self.toggle_dark, "keys": self.show_keys, "about": self.show_about,
            **{f"go_{s.id}": (lambda id=s.id: self.go(id)) for s in STEPS},
        }  # fmt: skip
        made = {}
        bar = self.menuBar()
        menus = {}
        for entry in ACTIONS:
            if bar is not None and entry.menu not in menus:
                menus[entry.menu] = bar.addMenu(entry.menu)
            action = QAction(entry.text, self)
            action.setShortcut(QKeySequence(entry.keys))
            action.setToolTip(entry.help)
            action.setStatusTip(entry.help)
            action.triggered.connect(lambda _=False, act=acts[entry.id]: act())
            menu = menus.get(entry.menu)
            if menu is not None:
                menu.addAction(action)
            made[entry.id] = action
        return made

    def _build(self) -> None:
        central = QWidget()
        central.setObjectName("page")
        row = QHBoxLayout(central)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._build_rail())
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        self.banner = Banner()
        holder = QVBoxLayout()
        holder.setContentsMargins(18, 10, 18, 0)
        holder.addWidget(self.banner)
        middle.addLayout(holder)
        self.stack = QStackedWidget()
        middle.addWidget(self.stack, 1)
        row.addLayout(middle, 1)
        self._panel_place = QVBoxLayout()
        self._panel_place.setContentsMargins(0, 0, 0, 0)
        row.addLayout(self._panel_place)
        self.panel: ScorePanel | None = None
        self.setCentralWidget(central)

    def _build_rail(self) -> QWidget:
        rail = QWidget()
        rail.setObjectName("rail")
        rail.setFixedWidth(176)
        layout = QVBoxLayout(rail)
        layout.setContentsMargins(10, 14, 10, 12)
        layout.setSpacing(2)
        self._place = label("Guardia", "head", wrap=True)
        self._place.setContentsMargins(10, 0, 0, 8)
        self._clock = label("", "hint", wrap=True)
        self._clock.setContentsMargins(10, 0, 6, 6)
        self._steps: dict[str, QPushButton] = {}
        group = QButtonGroup(self)
        for number, step in enumerate(s for s in STEPS if not s.part_of):
            if number == 1:
                layout.addSpacing(10)
                layout.addWidget(self._place)
                layout.addWidget(self._clock)
            made = button(step.text, lambda id=step.id: self.go(id), "step", tip=step.hint)
            made.setCheckable(True)
            group.addButton(made)
            self._steps[step.id] = made
            layout.addWidget(made)
            small = label(step.hint, "hint")
            small.setContentsMargins(14, 0, 0, 6)
            layout.addWidget(small)
        layout.addStretch()
        self._job_text = label("", "hint", wrap=True)
        layout.addWidget(self._job_text)
        self._job_bar = QProgressBar()
        self._job_bar.setTextVisible(False)
        self._job_bar.setRange(0, 1000)
        layout.addWidget(self._job_bar)
        self._job_stop = button(
            "Stop", lambda: self.session and self.session.jobs.cancel(), tip="What is finished is kept"
        )
        layout.addWidget(self._job_stop)
        for widget in (self._job_text, self._job_bar, self._job_stop):
            widget.hide()
        layout.addWidget(label("Guardia advises;\nthe technician decides.", "hint"))
        return rail

    def _show_welcome(self) -> None:
        acts = self.actions_by_id
        page = WelcomePage(acts["demo"], acts["new"], acts["open"], self._preferences.recent, self.open_project)
        self._set_pages({"welcome": page})
        self.stack.setCurrentWidget(page)
        self._refresh_steps()

    def _set_pages(self, pages: dict[str, QWidget]) -> None:
        for page in self.pages.values():
            self.stack.removeWidget(page)
            page.deleteLater()
        self.pages = pages
        for page in pages.values():
            self.stack.addWidget(page)

    def open_project(self, folder: Path) -> bool:
        """Open a project in this window; gives False, and keeps the present one, if it cannot be opened."""
        try:
            session = Session(folder, self.messages)
            page = RoundPage(session)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return False
        self._close_session()
        self.session = session
        self.camera_id = None
        session.jobs.started.connect(self._job_started)
        session.jobs.progressed.connect(self._job_progressed)
        session.jobs.finished.connect(self._job_finished)
        session.undo.indexChanged.connect(self._refresh_steps)
        page.opened.connect(self.open_camera)
        page.asked.connect(self.show_occurrence)
        self._set_pages({"round": page})
        self.setWindowTitle(f"{session.site.name} - Guardia")
        self._preferences = self._preferences.with_project(folder)
        self._remember()
        session.cameras_changed.connect(self._first_camera)
        self.go("round")
        session.load_cameras()
        if session.outdated():
            self._ask_to_measure_again(session)
        else:
            session.go_on_measuring()
        return True

    def _ask_to_measure_again(self, session: Session) -> None:
        """A project of an older version of the motion model is measured again when its user agrees."""
        self.question = QMessageBox(
            QMessageBox.Icon.Question,
            "Measure again?",
            f"{session.outdated()} clips of this project were measured by an older version of the motion model. Its "
            "figures are shown as they are. Measure them again now? Judgements, zones and settings are kept, and the "
            "old figures are shown beside the new ones.",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No,
            self,
        )
        self.question.accepted.connect(session.measure_again)
        self.question.rejected.connect(session.go_on_measuring)
        self.question.open()

    def _first_camera(self) -> None:
        """Have a camera open as soon as one is loaded, so that every step can be reached."""
        if self.session is not None and self.camera_id is None:
            loaded = [i for i in self.session.camera_ids() if self.session.is_loaded(i)]
            if loaded:
                self._prepare_camera(loaded[0])
                self._refresh_steps()

    def _close_session(self) -> None:
        if self.panel is not None:
            self._panel_place.removeWidget(self.panel)
            self.panel.hide()  # until it is deleted it must not be clicked: its camera is gone
            self.panel.deleteLater()
            self.panel = None
        self._set_pages({})
        if self._alike is not None:
            self._alike.close()
            self._alike = None
        if self.session is not None:
            self.session.close()
            self.session.deleteLater()
            self.session = None
        self.camera_id = None

    def open_camera(self, camera_id: int, step: str) -> None:
        """Open a camera at a step."""
        self._prepare_camera(camera_id)
        self.go(step)
        page = self.pages.get("evidence")
        if step == "evidence" and isinstance(page, EvidencePage):
            page.show_unjudged()

    def _prepare_camera(self, camera_id: int) -> None:
        if self.session is None or camera_id == self.camera_id:
            return
        self.camera_id = camera_id
        model = self.session.camera(camera_id)
        for step in STEPS:
            old = None if step.all_cameras else self.pages.pop(step.id, None)
            if old is not None:
                self.stack.removeWidget(old)
                old.deleteLater()
        if self.panel is None:
            self.panel = ScorePanel(self.session)
            self.panel.asked.connect(self.show_occurrences)
            self._panel_place.addWidget(self.panel)
        self.panel.set_camera(model)

    def _page(self, step: str) -> QWidget | None:
        """The page of a step, made when first asked for."""
        if step not in self.pages and self.session is not None and self.camera_id is not None:
            model = self.session.camera(self.camera_id)
            page = PAGES[step](self, self.session, model)
            self.pages[step] = page
            self.stack.addWidget(page)
        return self.pages.get(step)

    def tabs(self, step: str) -> QWidget:
        """The row of tabs of a step that has parts."""
        return tabs(step, tabs_of(step), self.go)

    def alike(self) -> AlikeModel:
        """The groups of the whole site, compared when first asked for."""
        assert self.session is not None
        self._alike = self._alike or AlikeModel(self.session)
        return self._alike

    def ask_watched(self) -> None:
        """Let the watched time of the camera be entered."""
        self._open_times(WatchedDialog)

    def _evidence(self) -> EvidencePage:
        self.go("evidence")
        page = self.pages["evidence"]
        assert isinstance(page, EvidencePage)
        return page

    def go(self, step: str) -> None:
        """Go to a step of the work."""
        page = self._page(step)
        if page is not None:
            self.stack.setCurrentWidget(page)
            if isinstance(page, RoundPage):
                page.refresh()
            page.setFocus()
        self._refresh_steps()

    def current_step(self) -> str:
        """The step that is shown."""
        return next((s for s, page in self.pages.items() if page is self.stack.currentWidget()), "")

    def show_occurrences(self, ids: tuple[int, ...], title: str) -> None:
        """Open the occurrences behind a number in Evidence."""
        if ids:
            self._evidence().show_ids(ids, title)

    def show_occurrence(self, camera_id: int, occurrence_id: int) -> None:
        """Open one occurrence of a camera in Evidence, among all others."""
        self._prepare_camera(camera_id)
        page = self._evidence()
        page.show_all()
        page.select_id(occurrence_id)

    def _refresh_steps(self) -> None:
        has_camera = self.session is not None and self.camera_id is not None
        current = self.current_step()
        for step, made in self._steps.items():
            made.setEnabled(has_camera or (step == "round" and self.session is not None))
            made.setChecked(step == step_of(current))
        if self.panel is not None:
            self.panel.setVisible(current != "round")
        model = self.session.camera(self.camera_id) if self.session and self.camera_id is not None else None
        name = model.camera.name if model else "No camera open"
        self._place.setText(name if len(name) <= 60 else f"{name[:58]} …")
        clock = error_words(model.camera.clock_error_s) if model else ""
        self._clock.setText(f"its clock is {clock}; times are put right" if clock else "")
        self._clock.setVisible(bool(clock))
        for entry in ACTIONS:
            action = self.actions_by_id[entry.id]
            if entry.needs_camera:
                action.setEnabled(has_camera)
        self.actions_by_id["add_camera"].setEnabled(self.session is not None)
        self.actions_by_id["go_round"].setEnabled(self.session is not None)
        undo = self.session.undo if self.session else None
        for name, can, text in (
            ("undo", bool(undo and undo.canUndo()), undo.undoText() if undo else ""),
            ("redo", bool(undo and undo.canRedo()), undo.redoText() if undo else ""),
        ):
            self.actions_by_id[name].setEnabled(can)
            self.actions_by_id[name].setText(f"{name.capitalize()} {text}".strip())

    def reset_draft(self) -> None:
        """Make the draft equal to the installed settings."""
        if self.session is not None and self.camera_id is not None:
            model: CameraModel = self.session.camera(self.camera_id)
            model.change_draft(model.camera.installed, "set draft back to installed")

    def ask_clip_start(self) -> None:
        """Ask when the clip of the selected occurrence really began."""
        if self.session is None or self.camera_id is None:
            return
        model = self.session.camera(self.camera_id)
        if not model.selected:
            self.messages.tell("Select an occurrence in Evidence first; its clip is the one that is meant.")
            return
        clip_id = model.occurrence(model.selected[0]).clip_id
        _, source = model.facts.clip_start(clip_id)
        start_s = model.evidence.clips[model.evidence.clip_index[clip_id]].start_s
        given = ask_start(self, self.session.local_time(start_s), source, self.session.site.time_zone)
        if given is not None:
            model.facts.give_clip_start(clip_id, given.timestamp())

    def ask_clock(self) -> None:
        """Ask how wrong the camera's clock is."""
        if self.session is None or self.camera_id is None:
            return
        model = self.session.camera(self.camera_id)
        error_s = ask_clock_error(self, model.camera.name, model.camera.clock_error_s)
        if error_s is not None:
            model.facts.set_clock_error(error_s)

    def save_list(self) -> None:
        """Ask for a file and save all occurrences there."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save occurrences", "occurrences.csv", "CSV (*.csv);;JSON Lines (*.jsonl);;XLSX (*.xlsx)"
        )
        if name and self.session is not None:
            self.session.save_occurrences(name)

    def join(self) -> None:
        """Make the selected occurrences one visit."""
        if self.session is not None and self.camera_id is not None:
            self.session.join(self.camera_id, self.session.camera(self.camera_id).selected)

    def split(self) -> None:
        """Take the selected occurrence out of its visit, or split it where it is quietest."""
        if self.session is not None and self.camera_id is not None:
            for occurrence_id in self.session.camera(self.camera_id).selected[:1]:
                self.session.split(self.camera_id, occurrence_id)

    def join_found(self) -> None:
        """Join every visit that was counted repeatedly and say how many there were."""
        if self.session is not None:
            count = self.session.join_found()
            self.messages.tell(
                f"Joined {count_of(count, 'visit')} counted as several occurrences; Undo takes it back."
                if count
                else "No real visit is counted twice."
            )

    def open_demo(self) -> None:
        """Open one's own copy of the demo site."""
        try:
            folder = own_demo(self._data_home)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        self.open_project(folder)

    def choose_project(self) -> None:
        """Ask for a project's folder and open it."""
        name = QFileDialog.getExistingDirectory(self, "Open a project's folder")
        if name:
            self.open_project(Path(name))

    def new_project(self) -> None:
        """Ask for a site and a folder, make a project there and open it."""
        answer = ask_new_project(self)
        parent = (
            QFileDialog.getExistingDirectory(self, "Folder in which the project's own folder is made") if answer else ""
        )
        if answer is None or not parent:
            return
        site, zone = answer
        stem = "".join(c if c.isalnum() else "-" for c in site.lower()).strip("-")[:60]
        try:
            Session.create(Path(parent) / stem, site, zone)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        self.open_project(Path(parent) / stem)

    def _open_times(self, kind: type[WatchedDialog] | type[EpochsDialog]) -> None:
        if self.session is not None and self.camera_id is not None:
            self.times = kind(self, self.session, self.session.camera(self.camera_id))
            self.times.open()

    def ask_cause(self) -> None:
        """Ask why the camera recorded the clips of the selected occurrences."""
        if self.session is None or self.camera_id is None:
            return
        model = self.session.camera(self.camera_id)
        clips = {model.occurrence(i).clip_id for i in model.selected}
        recorded = [c for c in model.evidence.clips if c.id in clips and c.origin is Origin.MOTION]
        if not recorded:
            self.messages.tell("Select occurrences of clips that the camera recorded by itself, in Evidence.")
            return
        cause = ask_cause(self, recorded)
        if cause is not None:
            model.facts.set_cause([c.id for c in recorded], cause)

    def add_camera(self) -> None:
        """Ask for a name and a make and add a camera."""
        answer = ask_new_camera(self) if self.session is not None else None
        if self.session is None or answer is None:
            return
        try:
            camera_id = self.session.add_camera(*answer)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        self.open_camera(camera_id, "evidence")

    def toggle_dark(self) -> None:
        """Change between light and dark colours."""
        self._set_dark(not THEME.dark)
        self._preferences = replace(self._preferences, dark=THEME.dark)
        self._remember()

    @staticmethod
    def _set_dark(dark: bool) -> None:
        app = QApplication.instance()
        if isinstance(app, QApplication) and dark != THEME.dark:
            THEME.apply(app, dark=dark)

    def _remember(self) -> None:
        save_preferences(self._preferences, self._data_home)

    def show_keys(self) -> None:
        """Show every shortcut."""
        show_text(self, "Keys", keys_html())

    def show_about(self) -> None:
        """Show version, licence and cautions."""
        show_text(self, "About Guardia", about_html())

    def show_history(self) -> None:
        """Show every change of this sitting; a click goes back or forward to it."""
        if self.session is not None:
            show_history(self, self.session.undo)

    def show_palette(self) -> None:
        """Let the person find an action by a few letters."""
        Palette(self, [self.actions_by_id[a.id] for a in ACTIONS if a.id != "palette"]).open()

    def _job_started(self, title: str) -> None:
        self._job_text.setText(title)
        self._job_bar.setValue(0)
        for widget in (self._job_text, self._job_bar, self._job_stop):
            widget.show()

    def _job_progressed(self, progress: Progress) -> None:
        left = f", about {progress.left_s:.0f} s left" if progress.left_s is not None else ""
        self._job_text.setText(f"{progress.done} of {progress.total}{left}")
        self._job_text.setToolTip(progress.what)
        self._job_bar.setValue(round(1000 * progress.done / max(1, progress.total)))

    def _job_finished(self) -> None:
        for widget in (self._job_text, self._job_bar, self._job_stop):
            widget.hide()
        self._refresh_steps()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop jobs and close the project; everything is already saved. Nobody need see a job come to its end."""
        self._preferences = replace(self._preferences, width=self.width(), height=self.height())
        self._remember()
        self.hide()
        self._close_session()
        super().closeEvent(event)
