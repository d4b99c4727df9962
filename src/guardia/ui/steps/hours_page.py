"""Hours: when it records and when it alerts, tried on what really happened."""

from __future__ import annotations

from datetime import date
from functools import partial
from pathlib import Path

import pyqtgraph as pg
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QPushButton,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.hours_model import PLANS, HoursModel
from guardia.core.base.words import count_of
from guardia.core.make.levers import ALERT_INTERVAL
from guardia.core.score.alerts import AlertScore
from guardia.ui.canvas.week_ribbon import WeekRibbon
from guardia.ui.parts.plots import begin_plot, still_plot
from guardia.ui.parts.tables import add_copying, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, PartTabs, WrappedLabel, button, card, choice, clear, label, page_head
from guardia.ui.steps.hours_dialogs import AlertTestDialog
from guardia.ui.steps.mode_list import ModeList
from guardia.ui.steps.periods_dialog import PeriodsDialog
from guardia.ui.steps.special_list import SpecialList
from guardia.ui.steps.stretch_editor import StretchEditor


class HoursPage(FreshPage):
    """What the evidence says above, the ribbon below it, stretches and what else belongs to hours at the foot.

    `asked` is emitted with the occurrences under a place of the ribbon, and their title.
    """

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self.model = session.step_model(HoursModel, model)
        layout, head = page_head(self, "Hours")
        self.which: dict[str, QPushButton] = {}
        for name, words in PLANS.items():
            choice = button(words, partial(self.model.choose, name))
            choice.setCheckable(True)
            self.which[name] = choice
            head.addWidget(choice)
        head.addStretch()
        self.from_noon = QCheckBox("whole nights")
        self.from_noon.setChecked(True)
        self.from_noon.setToolTip("Rows begin at noon, so that a night lies in one piece; else at midnight")
        self.from_noon.toggled.connect(self._turn)
        head.addWidget(self.from_noon)
        self.propose = button("Propose ho&urs", self._propose, "primary", "The hours that cost least on the evidence")
        head.addWidget(self.propose)
        layout.addLayout(head)
        frame = card()
        inside = QVBoxLayout(frame)
        inside.setContentsMargins(14, 10, 14, 10)
        self.words = WrappedLabel()
        inside.addWidget(self.words)
        self.offer = WrappedLabel()
        inside.addWidget(self.offer)
        self.take = button("&Take these hours", self.model.take_proposed, "primary", "Make them the draft's")
        inside.addWidget(self.take, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addWidget(frame)
        self.ribbon = WeekRibbon(self.model)
        self.ribbon.picked.connect(self._picked)
        self.ribbon.asked.connect(self.asked)
        layout.addWidget(self.ribbon, 5)
        layout.addWidget(self._tabs(), 3)
        self.setFocusProxy(self.ribbon)
        self.model.changed.connect(self.refresh_if_shown)
        self.model.curing.changed.connect(self._refresh_tab)
        THEME.changed.connect(self.ribbon.update)
        self.fill()

    def _tabs(self) -> QTabWidget:
        self.tabs = PartTabs()
        self.stretches, self.specials = StretchEditor(self.model), SpecialList(self.model)
        self.tabs.addTab(self.stretches, "Hours")
        self.tabs.addTab(self.specials, "Exceptions")
        self.modes = ModeList(self.model)
        self.tabs.addTab(self._at_the_camera(), "To enter")
        self.tabs.addTab(self._alerts(), "Alerts")
        self.by_hour = row_table("Evidence by hour of the day", ["hour", "time covered", "real", "false"])
        stretch_columns(self.by_hour, 1, 2, 3)
        self.tabs.addTab(self.by_hour, "By hour")
        self.cures = row_table("Ways to be alerted less", _CURES)
        self.tabs.addTab(self.cures, "Remedies")
        self.year = still_plot("Minutes of darkness left out by date", least_px=110)
        self.tabs.addTab(self.year, "Year")
        self.tabs.addTab(self.modes, "Modes")
        self.tabs.currentChanged.connect(lambda _: self._refresh_tab())
        return self.tabs

    def _at_the_camera(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 6, 0, 0)
        self.typed = QListWidget()
        add_copying(self.typed)
        self.typed.setWordWrap(True)
        self.typed.setAccessibleName("Periods to type in at the camera")
        column.addWidget(self.typed, 1)
        self.lost = WrappedLabel()
        self.lost.setObjectName("warning")
        column.addWidget(self.lost)
        self.dark = WrappedLabel()
        self.dark.setObjectName("muted")
        column.addWidget(self.dark)
        row = QHBoxLayout()
        row.addWidget(button("What the camera shows …", self.read_off, tip="Type in its periods; nights are found"))
        row.addWidget(button("Save as calendar …", self._save_calendar))
        row.addStretch()
        column.addLayout(row)
        return whole

    def _alerts(self) -> QWidget:
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 6, 0, 0)
        make = self.model.model.camera.capability
        row = QHBoxLayout()
        self.alerts_on = QCheckBox("Alerts on")
        self.alerts_on.toggled.connect(lambda on: self._change_alerts("switch alerts", alerts_on=on))
        row.addWidget(self.alerts_on)
        row.addWidget(label(ALERT_INTERVAL.name, "muted"))
        self.interval = choice(
            [(ALERT_INTERVAL.say(seconds, make), seconds) for seconds in ALERT_INTERVAL.options(make)],
            name=ALERT_INTERVAL.subject,
        )
        self.interval.activated.connect(
            lambda _: self._change_alerts(
                "change the time between alerts", alert_interval_s=self.interval.currentData()
            )
        )
        row.addWidget(self.interval)
        self.phone = QCheckBox("the phone lets them through")
        self.phone.setToolTip("Permission given, no battery saver in the way, this camera not muted there")
        self.phone.toggled.connect(lambda on: self._change_alerts("what the phone allows", phone_allows=on))
        row.addWidget(self.phone)
        row.addStretch()
        column.addLayout(row)
        classes = QHBoxLayout()
        self.classes: dict[str, QCheckBox] = {}
        for name in make.object_classes:
            box = QCheckBox(name)
            box.toggled.connect(lambda _on: self._classes_chosen())
            classes.addWidget(box)
            self.classes[name] = box
        if self.classes:
            classes.addStretch()
            column.addWidget(label("Alert only for these; none chosen means any", "muted", wrap=True))
            column.addLayout(classes)
        self.causes: dict[str, QCheckBox] = {}
        self._causes = QHBoxLayout()
        column.addLayout(self._causes)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(14)
        self._figures.setVerticalSpacing(3)
        column.addLayout(self._figures)
        self.alert_words = WrappedLabel()
        self.alert_words.setObjectName("muted")
        column.addWidget(self.alert_words)
        self.delay = WrappedLabel()
        column.addWidget(self.delay)
        tests = QHBoxLayout()
        tests.addWidget(button("Log an alert test …", self._log_test, tip="How long from the trigger to the phone"))
        tests.addWidget(button("Take the last out", self.model.remove_last_alert_test))
        tests.addStretch()
        column.addLayout(tests)
        column.addStretch()
        return whole

    def _change_alerts(self, what: str, **values: object) -> None:
        if not self._filling:
            self.model.change_alerts(what, **values)

    def _classes_chosen(self) -> None:
        chosen = tuple(name for name, box in self.classes.items() if box.isChecked())
        self._change_alerts("change the alert filter", alert_classes=chosen)

    def _cause_boxes(self, causes: tuple[str, ...]) -> None:
        """A switch for each other cause; which there are is known once the camera's list is imported."""
        if causes == tuple(self.causes):
            return
        clear(self._causes)
        if causes:
            self._causes.addWidget(label("Also by", "muted"))
        self.causes = {cause: QCheckBox(cause) for cause in causes}
        for box in self.causes.values():
            box.setToolTip("Switched off, it starts no clip and alerts nobody")
            box.toggled.connect(lambda _on: self._causes_chosen())
            self._causes.addWidget(box)
        self._causes.addStretch()

    def _causes_chosen(self) -> None:
        off = tuple(cause for cause, box in self.causes.items() if not box.isChecked())
        self._change_alerts("switch other causes", causes_off=off)

    def _log_test(self) -> None:
        dialog = AlertTestDialog(self, self.model.now)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.model.log_alert_test(dialog.wall, dialog.value)

    def _turn(self, from_noon: bool) -> None:
        self.ribbon.from_noon = from_noon
        self.ribbon.update()

    def _propose(self) -> None:
        self.model.propose()
        self.propose.setEnabled(False)

    def _picked(self) -> None:
        self.stretches.refresh()

    def read_off(self) -> None:
        """Ask for the periods that stand on the camera."""
        dialog = PeriodsDialog(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.model.read_off(dialog.periods())

    def _save_calendar(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save as calendar", "hours.ics", "iCalendar (*.ics)")
        if name:
            self.model.save_calendar(Path(name))

    _filling = False

    def refresh(self) -> None:
        """Show the hours as they are now."""
        model = self.model
        for name, which in self.which.items():
            which.setChecked(name == model.which)
        self.words.setText(" ".join(model.words()))
        self.propose.setEnabled(not model.jobs.busy and model.mode_at is None)
        self._tell_proposed()
        self.stretches.refresh()
        self.specials.refresh()
        self._refresh_tab()
        self.ribbon.update()

    def _tell_proposed(self) -> None:
        proposed = self.model.proposed
        self.offer.setVisible(proposed is not None)
        self.take.setVisible(proposed is not None and proposed.plan != self.model.plan)
        if proposed is None:
            return
        self.take.setText("Have no &times set" if proposed.plan is None else "&Take these hours")
        if proposed.plan is None:
            no_better = "No hours do better than always: with whatever they leave out, something real is lost."
            self.offer.setText(proposed.lacking or no_better)
            return
        real, false = count_of(len(proposed.lost), "real visit"), count_of(len(proposed.silenced), "false one")
        held = proposed.held_out
        proved = (
            "" if held is None else f" On days held out: {held[0]} real lost, {held[1]} false ones no longer recorded."
        )
        lost = f"Loses {real}. " if proposed.lost else ""
        self.offer.setText(f"{lost}Proposed: {proposed.plan.words}. It silences {false} and loses {real}.{proved}")

    def _refresh_tab(self) -> None:
        """Only the tab that is seen is filled: some of it takes a while."""
        at = self.tabs.currentIndex()
        self._filling = True
        if at == 2:
            self._fill_typed()
        elif at == 3:
            self._fill_alerts()
        elif at == 4:
            self._fill_hours()
        elif at == 5:
            self._fill_cures()
        elif at == 6:
            self._draw_year()
        elif at == 7:
            self.modes.refresh()
        self._filling = False

    def _fill_typed(self) -> None:
        typed, rules = self.model.typed(), self.model.model.camera.capability.schedule
        self.typed.clear()
        self.typed.addItems(typed.lines or ["Nothing to type in: no hours are set."])
        switches = ["Switch each period on: every one has a switch of its own."] if rules.each_enabled else []
        lost = [*typed.lost, *(switches if typed.periods else ())]
        self.lost.setText("\n".join(lost))
        self.lost.setVisible(bool(lost))
        self.dark.setText(self.model.dark_words())

    def _fill_alerts(self) -> None:
        draft = self.model.model.draft.alerts
        self.alerts_on.setChecked(draft.alerts_on)
        self.phone.setChecked(draft.phone_allows)
        if self.interval.findData(draft.alert_interval_s) < 0:
            words = ALERT_INTERVAL.say(draft.alert_interval_s, self.model.model.camera.capability)
            self.interval.addItem(f"{words} (not on offer)", draft.alert_interval_s)
        self.interval.setCurrentIndex(self.interval.findData(draft.alert_interval_s))
        for name, box in self.classes.items():
            box.setChecked(name in draft.alert_classes)
        self._cause_boxes(self.model.switchable_causes())
        for cause, box in self.causes.items():
            box.setChecked(cause not in draft.causes_off)
        clear(self._figures)
        installed, tried = self.model.alert_scores()
        for column, words in enumerate(("", "installed", "draft")):
            self._figures.addWidget(label(words, "muted"), 0, column)
        for row, (words, one, other) in enumerate(zip(*map(_figures_of, (None, installed, tried)), strict=True), 1):
            for column, text in enumerate((words, one, other)):
                self._figures.addWidget(label(text), row, column)
        self._figures.setColumnStretch(0, 1)
        self.delay.setText(self.model.alert_delay_words())
        make = self.model.model.camera.capability
        self.alert_words.setText(
            f"On this make an alert pause stops {' and '.join(make.alert_pause_stops)}, detection off stops "
            f"{' and '.join(make.detection_off_stops)}."
        )

    def _fill_cures(self) -> None:
        cures = self.model.cures() or []
        self.cures.setRowCount(len(cures))
        for row, cure in enumerate(cures):
            rate = cure.alerts.per_day
            per_day = str(cure.alerts.false) if rate is None else f"{rate[0]:.1f} ({rate[1]:.1f} to {rate[2]:.1f})"
            texts = (cure.remedy.words, per_day, str(cure.alerts.real_told), str(cure.late), str(cure.lost))
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                if column == 4 and cure.lost:
                    item.setForeground(THEME.colour("missed"))
                self.cures.setItem(row, column, item)
        self.cures.resizeColumnsToContents()

    def _draw_year(self) -> None:
        begin_plot(self.year, left="min dark left out", bottom="month")
        dark = self.model.dark_by_date()
        if not dark:
            self.year.setTitle("Nothing of the dark is left out: no recording hours are set")
        else:
            self.year.setTitle(None)
        for side in ("left", "bottom"):
            self.year.showAxis(side, show=bool(dark))
        if not dark:
            return
        days = [day.timetuple().tm_yday for day, _ in dark]
        self.year.plot(days, [minutes for _, minutes in dark], pen=pg.mkPen(THEME.colour("accent"), width=2))
        year = dark[0][0].year
        ticks = [(date(year, month, 1).timetuple().tm_yday, f"{date(year, month, 1):%b}") for month in range(1, 13)]
        self.year.getAxis("bottom").setTicks([ticks])
        self.year.setYRange(0, max(60.0, *(minutes for _, minutes in dark)))

    def _fill_hours(self) -> None:
        self.by_hour.setRowCount(24)
        for row, hour in enumerate(self.model.hours_of_day()):
            possible = f" (up to {hour.real_per_week:.1f} a week)" if hour.real_per_week is not None else ""
            covered = f"{hour.watched_h:.1f} h" if hour.watched_h else "never"
            texts = (f"{row:02d}", covered, f"{hour.real}{possible}", str(hour.false))
            for column, text in enumerate(texts):
                self.by_hour.setItem(row, column, QTableWidgetItem(text))
        self.by_hour.resizeColumnsToContents()


_CURES = ("one thing changed", "false alerts a day", "real alerted", "late or not", "no longer recorded")


def _figures_of(score: AlertScore | None) -> tuple[str, ...]:
    """The figures of alerts as words; the names of the rows without a score."""
    if score is None:
        return (
            "false alerts a day", "real ones alerted", "real ones that triggered without an alert",
            "alerts for expected people", "longest burst", "longest wait for the alert of a real one",
        )  # fmt: skip
    rate = score.per_day
    per_day = "no figure yet" if rate is None else f"{rate[0]:.1f} ({rate[1]:.1f} to {rate[2]:.1f})"
    return (
        per_day, str(score.real_told), str(len(score.real_silent)), str(score.not_expected),
        count_of(score.longest_burst, "alert"), f"{score.longest_silence_s:.0f} s",
    )  # fmt: skip
