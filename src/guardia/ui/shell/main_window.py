"""The window: the steps of the work on the left, one step in the middle, the score beside it."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QCloseEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QDialog, QHBoxLayout, QMainWindow, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.demo import own_demo
from guardia.app.project.own_scales import for_new_camera, learn_at_close
from guardia.app.project.preferences import Preferences, load_preferences, save_preferences
from guardia.app.project.session import Session
from guardia.app.site.damaged import DamagedEntries
from guardia.app.steps.actions import ACTIONS
from guardia.app.steps.alike_model import AlikeModel
from guardia.app.steps.guide import part_for
from guardia.app.steps.steps import STEPS, tabs_of
from guardia.app.work.engine import Cluster
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.distances import Distances, show_distances, shown_distances
from guardia.core.base.errors import GuardiaError
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import tabs
from guardia.ui.shell import findable
from guardia.ui.shell.banner import Banner
from guardia.ui.shell.begin_row import BeginRow
from guardia.ui.shell.camera_commands import CameraCommands
from guardia.ui.shell.damaged_dialog import DamagedDialog
from guardia.ui.shell.dialogs import about_html, ask_new_camera, keys_html, messages_html, show_history, show_text
from guardia.ui.shell.dropping import Dropping, begin_with, import_begun, project_of
from guardia.ui.shell.guide_dialog import GuideDialog
from guardia.ui.shell.menus import fill_menus
from guardia.ui.shell.page_stack import PageStack
from guardia.ui.shell.palette import Palette
from guardia.ui.shell.portfolio_dialog import PortfolioDialog
from guardia.ui.shell.preferences_dialog import PreferencesDialog
from guardia.ui.shell.project_commands import (
    ask_cluster,
    ask_to_measure_again,
    choose_clips,
    choose_project,
    correct_site,
    join_found,
    make_project,
    print_report,
    save_list,
    save_report,
    save_sheets,
)
from guardia.ui.shell.rail import Rail
from guardia.ui.shell.step_back import step_back
from guardia.ui.shell.step_pages import PAGES
from guardia.ui.shell.welcome_page import WelcomePage
from guardia.ui.steps.round_page import RoundPage
from guardia.ui.steps.score_panel import ScorePanel

if TYPE_CHECKING:
    from guardia.ui.steps.evidence_page import EvidencePage

FRAME_PX = (4, 32)
"""Room that the window's frame and title bar take on the screen, across and down."""

SMALLEST_PX = (1100, 700)
READ_AT_ONCE = 40
"""So many clips are read before the window can be used; of more, camera by camera is shown as it is read."""

FOLD_BELOW_PX = 1200
"""In a narrower window the score folds to its counts, so that the picture keeps its room."""


class MainWindow(QMainWindow):
    """One window on one project, or on none yet.

    Args:
        data_home: Folder for the program's data, where the demo is copied to.
    """

    def __init__(self, data_home: Path) -> None:
        super().__init__()
        self._data_home = data_home
        self.messages = MessageHub(self, faults=data_home)
        self.session: Session | None = None
        self.camera_id: int | None = None
        self.commands: CameraCommands | None = None
        self._alike: AlikeModel | None = None
        self._reminded = True
        self.setWindowTitle("Guardia")
        self._score_folded: bool | None = None
        self._preferences, warnings = load_preferences(data_home)
        self._resize_to_fit(self._preferences.width, self._preferences.height)
        if self._preferences.maximised:
            self.setWindowState(Qt.WindowState.WindowMaximized)
        self._look()
        self.actions_by_id = self._make_actions()
        self._build()
        self.messages.shown.connect(self.banner.show_message)
        self.messages.ready()
        for line in warnings:
            self.messages.tell(line, Severity.WARNING)
        self._show_welcome()
        Dropping(self, self.take_dropped)

    def _resize_to_fit(self, width: int, height: int) -> None:
        """Take a size, but not more than the screen has beside its panels and the window's own frame."""
        screen = self.screen()
        room = screen.availableGeometry() if screen is not None else None
        smallest = SMALLEST_PX
        if room is not None:
            most = room.width() - FRAME_PX[0], room.height() - FRAME_PX[1]
            width, height = min(width, most[0]), min(height, most[1])
            smallest = min(smallest[0], most[0]), min(smallest[1], most[1])
        self.setMinimumSize(*smallest)
        self.resize(width, height)

    def _make_actions(self) -> dict[str, QAction]:
        def camera(do: Callable[[CameraCommands], object]) -> Callable[[], object]:
            return lambda: self.commands and do(self.commands)

        def project(do: Callable[[Session], object]) -> Callable[[], object]:
            return lambda: self.session and do(self.session)

        acts: dict[str, Callable[[], object]] = {
            "begin_from": self.begin_from, "new": self.new_project,
            "open": lambda: self._open_what(lambda: choose_project(self)),
            "demo": self.open_demo, "practice": self.practice, "portfolio": self.show_portfolio,
            "cluster": self.ask_cluster, "damaged": project(self.show_damaged),
            "quit": self.close, "add_camera": self.add_camera,
            "bring_in": lambda: self._evidence().bring_in(),
            "bring_in_new": project(lambda s: s.intake.run_new(s.camera_ids())),
            "watch_folders": project(lambda s: s.intake.watch_folders(self.actions_by_id["watch_folders"].isChecked())),
            "reset_draft": camera(CameraCommands.reset_draft), "clip_start": camera(CameraCommands.ask_clip_start),
            "as_it_is": camera(CameraCommands.ask_installed), "rename": camera(CameraCommands.ask_name),
            "clips": camera(CameraCommands.show_clips), "make": camera(CameraCommands.ask_make),
            "remove": camera(CameraCommands.remove), "site": project(lambda s: correct_site(self, s)),
            "clock": camera(CameraCommands.ask_clock), "watched": camera(CameraCommands.ask_watched),
            "epochs": camera(CameraCommands.ask_epochs), "cause": camera(CameraCommands.ask_cause),
            "describe_make": camera(CameraCommands.describe_make), "use_others": camera(CameraCommands.use_others),
            "copy_draft": camera(CameraCommands.copy_draft), "pause_alerts": camera(CameraCommands.pause_alerts),
            "join": camera(CameraCommands.join), "split": camera(CameraCommands.split),
            "join_found": project(join_found), "save_list": project(lambda s: save_list(self, s)),
            "report": project(lambda s: save_report(self, s)), "sheets": project(lambda s: save_sheets(self, s)),
            "print_report": project(lambda s: print_report(self, s)),
            "history": project(lambda s: show_history(self, s.undo)),
            "undo": partial(step_back, self, back=True), "redo": partial(step_back, self, back=False),
            "palette": self.show_palette, "dark": self.toggle_dark, "fold": self.fold_score,
            "larger": lambda: self._take_preferences(self._preferences.with_text(1)),
            "smaller": lambda: self._take_preferences(self._preferences.with_text(-1)),
            "preferences": self.ask_preferences, "close": self.close_project, "guide": self.show_guide,
            "choose_camera": self.choose_camera, "next_camera": partial(self.step_camera, 1),
            "previous_camera": partial(self.step_camera, -1),
            "keys": lambda: show_text(self, "Keys", keys_html()),
            "messages": lambda: show_text(self, "Messages", messages_html(self.messages.told)),
            "about": lambda: show_text(self, "About Guardia", about_html()),
            **{f"go_{s.id}": partial(self.go, s.id) for s in STEPS},
        }  # fmt: skip
        return fill_menus(self, acts, lambda: self._preferences.recent, self.open_project)

    def _build(self) -> None:
        central = QWidget()
        central.setObjectName("page")
        both = QHBoxLayout(central)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(0)
        self.rail = Rail()
        self.rail.asked.connect(self.go)
        self.rail.stopped.connect(self._stop_work)
        self.rail.camera_asked.connect(self.choose_camera)
        both.addWidget(self.rail)
        beside = QVBoxLayout()
        beside.setSpacing(0)
        both.addLayout(beside, 1)
        row = QHBoxLayout()
        row.setSpacing(0)
        beside.addLayout(row, 1)
        self.banner = Banner(self.actions_by_id["messages"].trigger)
        beside.addWidget(self.banner)
        middle = QVBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        self.stack = PageStack()
        self._begin = BeginRow(*(self.actions_by_id[name] for name in ("make", "as_it_is", "bring_in")))
        middle.addWidget(self._begin)
        middle.addWidget(self.stack, 1)
        row.addLayout(middle, 1)
        self._panel_place = QVBoxLayout()
        self._panel_place.setContentsMargins(0, 0, 0, 0)
        row.addLayout(self._panel_place)
        self.panel: ScorePanel | None = None
        self.setCentralWidget(central)

    def _show_welcome(self) -> None:
        acts = self.actions_by_id
        own = acts["begin_from"], acts["new"], acts["open"]
        page = WelcomePage(acts["demo"], own, acts["guide"], self._preferences.recent, self.open_project)
        self.stack.set_pages({"welcome": page})
        self.stack.show_page("welcome")
        self._refresh_steps()

    @property
    def pages(self) -> dict[str, QWidget]:
        """The pages that were made so far, by their step."""
        return self.stack.pages

    def open_project(self, folder: Path) -> bool:
        """Open a project in this window; gives False, and keeps the present one, if it cannot be opened."""
        of_another = len(self.messages.told)
        try:
            session = Session(folder, self.messages)
            page = RoundPage(session)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return False
        self.close_session()
        del self.messages.told[:of_another]
        self.banner.frame.setVisible(bool(self.messages.told))
        self.session, self._reminded = session, not self._preferences.reminders
        self.actions_by_id["watch_folders"].setChecked(False)
        self.rail.follow(session.intake.jobs)
        self._use_cluster()
        session.intake.jobs.finished.connect(self._refresh_steps)
        session.undo.indexChanged.connect(self._refresh_steps)
        page.opened.connect(self.open_camera)
        page.add_asked.connect(self.add_camera)
        page.asked.connect(self.show_occurrence)
        self.stack.set_pages({"round": page})
        self._preferences = self._preferences.with_project(folder)
        self._remember()
        session.cameras_changed.connect(self._follow_cameras)
        session.make_changed.connect(self._rebuild)
        session.evidence_changed.connect(self._refresh_steps)
        self.go("round")
        session.load_cameras(at_once=READ_AT_ONCE)
        if session.intake.outdated():
            self.question = ask_to_measure_again(self, session)
        else:
            session.intake.go_on_measuring()
        return True

    def show_damaged(self, session: Session) -> None:
        """Show what of the project cannot be read; clips whose measurement was deleted are offered to be measured."""
        waiting = session.intake.outdated()

        def show(entries: DamagedEntries) -> None:
            DamagedDialog(self, entries).exec()
            if session.intake.outdated() > waiting:
                self.question = ask_to_measure_again(self, session)

        session.look_for_damaged(show)

    def _follow_cameras(self) -> None:
        """Have a camera open as soon as one is loaded, so that every step can be reached; leave a removed one."""
        if self.session is None:
            return
        self.setWindowTitle(f"{self.session.site.name} - Guardia")
        loaded = [i for i in self.session.camera_ids() if self.session.is_loaded(i)]
        if self.camera_id is not None and self.camera_id not in loaded:
            self._drop_pages()
            self.camera_id = self.commands = None
            self.go("round")
        if loaded and self.camera_id is None:
            self._prepare_camera(loaded[0])
        self._refresh_steps()
        if not self._reminded and all(i in loaded or i in self.session.summaries for i in self.session.camera_ids()):
            self._reminded = True
            if words := self.session.rounds.reminder():
                self.messages.tell(words)

    def _rebuild(self, camera_id: int) -> None:
        """Make the pages of a camera anew whose make is another now."""
        if camera_id == self.camera_id:
            step = self.current_step()
            self._drop_pages()
            self.go(step)

    def _drop_pages(self) -> None:
        """Forget the pages of the camera that is open."""
        for step in STEPS:
            if not step.all_cameras:
                self.stack.drop(step.id)

    def close_project(self) -> None:
        """Close the project and show the first page."""
        self.close_session()
        self.banner.frame.hide()
        self.setWindowTitle("Guardia")
        self._show_welcome()

    def _drop_panel(self) -> None:
        if self.panel is not None:
            self._panel_place.removeWidget(self.panel)
            self.panel.hide()  # until it is deleted it must not be clicked: its camera is gone
            self.panel.deleteLater()
            self.panel = None

    def close_session(self) -> None:
        """Close the project, if one is open; everything is already saved."""
        self._drop_panel()
        self.stack.set_pages({})
        if self._alike is not None:
            self._alike.close()
            self._alike = None
        if self.session is not None:
            learn_at_close(self._data_home, self.session)
            self.session.close()
            self.session.deleteLater()
            self.session = None
        self.camera_id = self.commands = None

    def open_camera(self, camera_id: int, step: str) -> None:
        """Open a camera at a step."""
        self._prepare_camera(camera_id)
        self.go(step)
        if step == "evidence" and step in self.pages:
            self._evidence().show_unjudged()

    def _prepare_camera(self, camera_id: int) -> None:
        if self.session is None or camera_id == self.camera_id:
            return
        model = self.session.camera(camera_id)
        self.camera_id = camera_id
        self.commands = CameraCommands(self, self.session, model, self._data_home)
        self._drop_pages()
        self._show_panel(model)

    def _show_panel(self, model: CameraModel) -> None:
        if self.panel is None and self.session is not None:
            self.panel = ScorePanel(self.session)
            self.panel.asked.connect(self.show_occurrences)
            self.panel.opened.connect(self.go)
            self.panel.fold_asked.connect(self.fold_score)
            self._fold_panel()
            self._panel_place.addWidget(self.panel)
        if self.panel is not None:
            self.panel.set_camera(model)

    def page(self, step: str) -> QWidget | None:
        """The page of a step, made when first asked for."""
        if step not in self.pages and self.session is not None and self.camera_id is not None:
            model = self.session.camera(self.camera_id)
            page = PAGES[step](self, self.session, model)
            self.pages[step] = page
        return self.pages.get(step)

    def actions_of(self, *ids: str) -> list[QAction]:
        """Some of the actions, to be offered on a page."""
        return [self.actions_by_id[id] for id in ids]

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
        if self.commands is not None:
            self.commands.ask_watched()

    def _evidence(self) -> EvidencePage:
        from guardia.ui.steps.evidence_page import EvidencePage

        self.go("evidence")
        page = self.pages["evidence"]
        assert isinstance(page, EvidencePage)
        return page

    def go(self, step: str) -> None:
        """Go to a step of the work."""
        page = self.page(step)
        if page is not None:
            self.stack.show_page(step)
            if isinstance(page, RoundPage):
                page.refresh()
            page.setFocus()
        self._refresh_steps()

    def current_step(self) -> str:
        """The step that is shown."""
        return self.stack.current

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
        current, model = self.current_step(), self._model()
        self.rail.show_step(current, has_project=self.session is not None, model=model)
        if self.panel is not None:
            self.panel.setVisible(current != "round")
        self._begin.show_for(model if current in PAGES else None)
        for entry in ACTIONS:
            action = self.actions_by_id[entry.id]
            if entry.needs:
                action.setEnabled((model if entry.needs == "camera" else self.session) is not None)
        undo = self.session.undo if self.session else None
        for name, can, text in (
            ("undo", bool(undo and undo.canUndo()), undo.undoText() if undo else ""),
            ("redo", bool(undo and undo.canRedo()), undo.redoText() if undo else ""),
        ):
            self.actions_by_id[name].setEnabled(can)
            self.actions_by_id[name].setText(f"&{name.capitalize()} {text.replace('&', '&&')}".strip())

    def _stop_work(self) -> None:
        if self.session is not None:
            self.session.intake.jobs.cancel()

    def _model(self) -> CameraModel | None:
        """The camera that is open."""
        return self.session.camera(self.camera_id) if self.session and self.camera_id is not None else None

    def open_demo(self) -> None:
        """Open one's own copy of the demo site."""
        self._open_what(lambda: own_demo(self._data_home))

    def practice(self) -> None:
        """Show what was practised; open the scene that was recorded."""
        from guardia.ui.shell.practice_dialog import PracticeDialog  # with the simulated camera, for this alone

        dialog = PracticeDialog(self, self._data_home, self.session.folder if self.session else None)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.folder is not None:
            self.open_project(dialog.folder)

    def ask_cluster(self) -> None:
        """Ask which scheduler measures; nothing is sent anywhere before something is measured."""
        answer = ask_cluster(self, self._preferences.cluster, self.messages)
        if answer is not None:
            self._preferences = replace(self._preferences, cluster=answer)
            self._remember()
            self._use_cluster()

    def _use_cluster(self) -> None:
        if self.session is not None:
            with suppress(GuardiaError):
                self.session.intake.cluster = Cluster(self._preferences.cluster) if self._preferences.cluster else None

    def show_portfolio(self) -> None:
        """Show the projects beside this one, and open the one that is chosen."""
        if self.session is not None:
            self.session.keep_lines()
        recent = [Path(name).parent for name in self._preferences.recent]
        here = self.session.folder.parent if self.session is not None else (*recent, self._data_home)[0]
        dialog = PortfolioDialog(self, here)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.chosen is not None:
            self.open_project(dialog.chosen)

    def new_project(self) -> None:
        """Make a project and open it."""
        self._open_what(lambda: make_project(self, self._preferences.above_projects))

    def _open_what(self, choose: Callable[[], Path | None]) -> None:
        """Open the project that is chosen, or say why there is none."""
        try:
            folder = choose()
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        if folder is not None:
            self.open_project(folder)

    def begin_from(self) -> None:
        """Ask for a folder of clips and make a project of it."""
        if (folder := choose_clips(self)) is not None:
            self._begin_with([folder])

    def take_dropped(self, paths: list[Path]) -> None:
        """Open a dropped project, import dropped clips, or make a project of them where none is open."""
        if (folder := project_of(paths)) is not None:
            self.open_project(folder)
        elif self.session is not None and self.session.camera_ids():
            self._prepare_camera(self.session.camera_ids()[0] if self.camera_id is None else self.camera_id)
            self._evidence().bring_in(paths)
        elif paths:
            self._begin_with(paths)

    def _begin_with(self, paths: list[Path]) -> None:
        try:
            begun = begin_with(paths, self._preferences.above_projects)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        if self.open_project(begun.folder) and self.session is not None:
            import_begun(self.session, begun, paths)
            self.open_camera(begun.cameras[0], "evidence")

    def add_camera(self) -> None:
        """Ask for a name and a make and add a camera."""
        if (session := self.session) is None:
            return
        camera_id = ask_new_camera(
            self, session.makes(), lambda name, make: session.add_camera(name, for_new_camera(self._data_home, make))
        )
        if camera_id is None:
            return
        self.open_camera(camera_id, "evidence")
        if self.commands is not None:
            self.commands.ask_installed()

    def show_guide(self) -> None:
        """Open the guide at the part that fits the page; it stays beside the window."""
        model = self._model()
        on_battery = model is not None and model.camera.capability.storage.power is not None
        GuideDialog(self, part_for(self.current_step(), on_battery=on_battery)).show()

    def fold_score(self) -> None:
        """Fold the score to its counts, or show all of it; from then on it stays so at every size."""
        self._score_folded = not (self.panel is not None and self.panel.folded)
        self._fold_panel()

    def _fold_panel(self) -> None:
        if self.panel is not None:
            narrow = self.width() < THEME.px(FOLD_BELOW_PX)
            self.panel.fold(narrow if self._score_folded is None else self._score_folded)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave the work the room in a narrow window."""
        super().resizeEvent(event)
        self.banner.take_room()
        self._fold_panel()

    def toggle_dark(self) -> None:
        """Change between light and dark colours."""
        self._take_preferences(replace(self._preferences, dark=not THEME.dark))

    def ask_preferences(self) -> None:
        """Ask how the program is to look and where it puts things."""
        dialog = PreferencesDialog(self, self._preferences)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._take_preferences(dialog.chosen())

    def _take_preferences(self, wanted: Preferences) -> None:
        """Show everything as it is wanted now, and keep that; pages are laid out again for other sizes and units."""
        other = wanted.text_percent != THEME.text_percent or wanted.distances != shown_distances()
        self._preferences = wanted
        self._remember()
        self._look()
        if other:
            self.rail.take_size()
            self.banner.take_room()
            if self.session is None:
                self._show_welcome()
            elif self.camera_id is not None:
                step = self.current_step()
                self._drop_panel()
                self._drop_pages()
                self._show_panel(self.session.camera(self.camera_id))
                self.go(step)

    def _look(self) -> None:
        """Put colours, size of text and units on the application."""
        app, wanted = QApplication.instance(), self._preferences
        show_distances(Distances(wanted.distances))
        if isinstance(app, QApplication) and (wanted.dark, wanted.text_percent) != (THEME.dark, THEME.text_percent):
            THEME.apply(app, dark=wanted.dark, text_percent=wanted.text_percent)

    def _remember(self) -> None:
        save_preferences(self._preferences, self._data_home)

    def show_palette(self) -> None:
        """Let the person find something by a few letters."""
        found, model = findable.of_actions(self.actions_by_id), self._model()
        if self.session is not None:
            found += findable.of_cameras(self.session, self.show_camera, model)
        if model is not None:
            found += findable.of_settings(model, self.go)
        found += findable.of_guide(lambda part: GuideDialog(self, part).show())
        Palette(self, "Find", found).open()

    def choose_camera(self) -> None:
        """Let another camera be found by a few letters of its name."""
        if self.session is not None:
            Palette(self, "Cameras", findable.of_cameras(self.session, self.show_camera, self._model())).open()

    def show_camera(self, camera_id: int) -> None:
        """Show the present page for another camera; from Round its evidence."""
        self.open_camera(camera_id, self.current_step() if self.current_step() in PAGES else "evidence")

    def step_camera(self, by: int) -> None:
        """Show the present page for the next camera in the order of the site, or the one before."""
        ids = self.session.camera_ids() if self.session else []
        if self.camera_id in ids:
            self.show_camera(ids[(ids.index(self.camera_id) + by) % len(ids)])

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Stop jobs and close the project; everything is already saved. Nobody need see a job come to its end."""
        size = self.normalGeometry().size() if self.isMaximized() else self.size()
        self._preferences = replace(
            self._preferences, width=size.width(), height=size.height(), maximised=self.isMaximized()
        )
        self._remember()
        self.hide()
        self.close_session()
        super().closeEvent(event)
