"""Storage: how long footage, a charge and an allowance last, what uses them up, and what would change that."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QFrame, QScrollArea

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.storage_model import StorageModel
from guardia.core.storage.figure import Figure
from guardia.ui.canvas.store_bars import StoreBars
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, PartTabs, button, page_head, words_card
from guardia.ui.steps.storage_tabs import AnswersTab, PowerTab, SaveTab, SchoolsTab, SettingsTab, StoresTab
from guardia.ui.steps.store_dialogs import DayDialog
from guardia.ui.steps.working_view import WorkingView

MOST_FINDINGS = 4


class StoragePage(FreshPage):
    """What is wrong above, bars below it, tabs at the foot."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self.model = session.step_model(StorageModel, model)
        self._opened: str | None = None
        layout, head = page_head(self, "Storage")
        head.addStretch()
        self.asked = button("", self.ask_on, tip="The day for which the page shows what is still there")
        head.addWidget(self.asked)
        head.addWidget(button("&Days required …", self.ask_required, tip="How long footage must be kept on this site"))
        most_tip = "After how many days footage must be gone on this site: rules on privacy"
        head.addWidget(button("At &most …", self.ask_most, tip=most_tip))
        layout.addLayout(head)
        self.words = words_card(layout)
        self.bars = StoreBars(self.model)
        self.bars.picked.connect(self._open)
        scroll = QScrollArea()  # three sections are more than a small screen holds beside the tabs
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidget(self.bars)
        scroll.setFocusProxy(self.bars)
        self._room = scroll
        scroll.setMinimumHeight(140)
        layout.addWidget(scroll, 3)
        self.tabs = PartTabs()
        self.settings, self.stores = SettingsTab(self.model), StoresTab(self.model)
        self.working, self.answers = WorkingView(self.model), AnswersTab(self.model)
        self.save, self.schools = SaveTab(self.model), SchoolsTab(self.model)
        for widget, words in (
            (self.settings, "Settings"), (self.stores, "Stores"), (self.working, "Working"),
            (self.answers, "What if"), (self.save, "To save"), (self.schools, "Ways of working"),
        ):  # fmt: skip
            self.tabs.addTab(widget, words)
        self.power = PowerTab(self.model)
        if self.model.rules.power is not None:
            self.tabs.addTab(self.power, "Power")
        self.tabs.currentChanged.connect(lambda _: self._refresh_tab())
        layout.addWidget(self.tabs, 2)
        self.setFocusProxy(self.bars)
        self.model.changed.connect(self.refresh_if_shown)
        THEME.changed.connect(self.bars.update)
        self.fill()

    def ask_required(self) -> None:
        """Ask how long footage must be kept."""
        self.working.ask("required_days")

    def ask_most(self) -> None:
        """Ask after how long footage must be gone."""
        self.working.ask("longest_days")

    def ask_on(self) -> None:
        """Ask for another day to ask about."""
        dialog = DayDialog(self, self.model.asked)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.model.ask_on(dialog.day)

    def _open(self, figure: Figure) -> None:
        """Show how a figure came about."""
        self._opened = figure.name
        self.tabs.setCurrentWidget(self.working)
        self.working.show_figure(figure)

    def refresh(self) -> None:
        """Show everything as it is now."""
        findings = self.model.findings()
        words = [f.words for f in findings[:MOST_FINDINGS]]
        self.words.setText("\n".join(words) or self.model.all_well)
        self.words.setObjectName("warning" if any(f.serious for f in findings) else "")
        style = self.words.style()
        if style is not None:
            style.polish(self.words)
        self.bars.show_sections(self.model.sections())
        self._room.setMaximumHeight(self.bars.height() + 2)
        self.asked.setText(f"As on {self.model.asked} …")
        self._refresh_tab()

    def _refresh_tab(self) -> None:
        """Only the tab that is seen is filled."""
        current = self.tabs.currentWidget()
        if current is self.working:
            self.working.show_figure(self.model.figure_named(self._opened))
        elif isinstance(current, SettingsTab | StoresTab | AnswersTab | SaveTab | SchoolsTab | PowerTab):
            current.refresh()
