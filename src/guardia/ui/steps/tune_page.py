"""Tune: what was found, proved on days held out, the whole trade-off, single levers and a plan of changes."""

from __future__ import annotations

from collections.abc import Sequence

import pyqtgraph as pg
from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHideEvent, QIcon, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QProgressBar,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.site.exports import aspect_of
from guardia.app.steps.calibration_model import CalibrationModel
from guardia.app.steps.people_model import PeopleModel
from guardia.app.steps.tune_model import TuneModel
from guardia.app.work.jobs import Progress
from guardia.core.base.words import count_of
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.tuning.days import Counts
from guardia.core.tuning.tune import Answer, PlanStep, Point, Tuned, pareto
from guardia.report.sheet import lines_against
from guardia.ui.canvas.gain_plot import Gain, GainPlot
from guardia.ui.canvas.zone_picture import zone_picture
from guardia.ui.parts.plots import begin_plot, still_plot
from guardia.ui.parts.tables import RowTable, add_copying, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, PartTabs, WrappedLabel, button, card, clear, label, page_head
from guardia.ui.steps.check_view import CheckView
from guardia.ui.steps.compare_view import CompareView
from guardia.ui.steps.kind_costs import ask_kind_costs
from guardia.ui.steps.scale_view import ScaleView

_HEADS = {
    Answer.BETTER: "Better settings, proved on days held out",
    Answer.TOO_LITTLE: "Too little evidence to be sure",
    Answer.LIMIT: "This camera is at its limit",
    Answer.GOOD: "Nothing to improve",
}


SAID_FIRST = 2
"""So many sentences on why stand beside the figures; the tab Why has all of them."""

SEARCHED_TABS = 5
"""The first tabs show what a search found; scale and check do without."""


SEARCHING = "Trying settings"

PAIR = ("Installed", "These settings")

ICON_PX, PAIR_PX = 72, 176
"""Widths of the pictures of candidates: in the table, and side by side."""


class TunePage(FreshPage):
    """The answer above, the trade-off below it, levers and plan beside.

    `asked` is emitted with the occurrences whose judgement could change the choice, and their title.
    """

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self.model = session.step_model(TuneModel, model)
        self._session, self._camera = session, model
        self._reach = session.step_model(CalibrationModel, model)
        self._shown: Candidate | None = None
        self._view = QPixmap()
        layout, head = page_head(self, "Tune")
        head.addStretch()
        head.addWidget(label("A missed real one costs as much as", "muted"))
        self.miss_cost = QDoubleSpinBox()
        self.miss_cost.setRange(0.5, 500)
        self.miss_cost.setDecimals(1)
        self.miss_cost.setValue(self.model.miss_cost)
        self.miss_cost.setSuffix(" false")
        self.miss_cost.setKeyboardTracking(False)
        self.miss_cost.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.miss_cost.setFixedWidth(THEME.px(96))
        self.miss_cost.setAccessibleName("What a missed real occurrence costs, in false recordings")
        self.miss_cost.valueChanged.connect(lambda v: setattr(self.model, "miss_cost", v))
        head.addWidget(self.miss_cost)
        head.addWidget(button("By &kind …", self._ask_kinds, tip="Let a missed person, say, cost more than a vehicle"))
        self.unseen = QCheckBox("also what clips cannot show")
        self.unseen.setToolTip(
            "A shorter pause, more sensitivity or a wider zone can record what no clip shows. "
            "False recordings are then at least those counted."
        )
        self.unseen.toggled.connect(lambda on: setattr(self.model, "unseen", on))
        head.addWidget(self.unseen)
        self.search = button("&Search", self._search, "primary", "Try the settings of this make on the judged evidence")
        self.stop = button("Stop", self._stop)
        head.addWidget(self.search)
        head.addWidget(self.stop)
        layout.addLayout(head)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        layout.addWidget(self.progress)
        layout.addWidget(self._answer_card())
        self._was_found = False
        layout.addWidget(self._tables(), 1)
        self.setFocusProxy(self.search)
        self.model.changed.connect(self.refresh_if_shown)
        self.model.jobs.progressed.connect(self._on_progress)
        self.model.jobs.finished.connect(self._show_busy)
        model.draft_changed.connect(self._draw)
        self._reach.changed.connect(self._show_pair)  # how people show is measured behind
        THEME.changed.connect(self._draw)
        self._show_busy()
        self.fill()

    def _answer_card(self) -> QWidget:
        frame = card()
        inside = QVBoxLayout(frame)
        inside.setContentsMargins(14, 10, 14, 10)
        inside.setSpacing(6)
        self.headline = label("", "head", wrap=True)
        inside.addWidget(self.headline)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(22)
        self._figures.setVerticalSpacing(2)
        inside.addLayout(self._figures)
        self.why = WrappedLabel()
        self.why.setObjectName("muted")
        inside.addWidget(self.why)
        self.since = WrappedLabel()
        inside.addWidget(self.since)
        self.judge = button("", self._ask, tip="The best settings disagree on these; all others would change nothing")
        inside.addWidget(self.judge, 0, Qt.AlignmentFlag.AlignLeft)
        return frame

    def _ask(self) -> None:
        if self.model.found is not None:
            self.asked.emit(self.model.found.telling, "Could change the choice")

    def _trade_off(self) -> QWidget:
        """The plot, and beside it what changes with the settings that are looked at."""
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 6, 0, 0)
        row.setSpacing(14)
        column = QVBoxLayout()
        column.setSpacing(4)
        row.addLayout(column, 5)
        row.addLayout(self._changes(), 6)
        self._plot_title = label("", "strong", wrap=True)
        column.addWidget(self._plot_title)
        self.plot = still_plot("Trade-off of missed real and false recordings", least_px=150)
        column.addWidget(self.plot, 1)
        return whole

    def _changes(self) -> QVBoxLayout:
        column = QVBoxLayout()
        self.changes = QListWidget()
        add_copying(self.changes)
        self.changes.setWordWrap(True)
        self.changes.setMinimumHeight(THEME.px(76))
        self.changes.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.changes.setAccessibleName("What changes from installed")
        self.changes.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row = QHBoxLayout()  # above all, so that it is in sight in the lowest window
        row.addWidget(label("What changes from installed", "strong"))
        row.addStretch()
        self.back = button("Back to the draft", lambda: self.try_out(None), tip="End trying on")
        self.take = button("&Take as draft", self._take, "primary", "Make these settings the draft; can be undone")
        row.addWidget(self.back)
        row.addWidget(self.take)
        column.addLayout(row)
        pair = QHBoxLayout()
        self.pair, self._pair_words = (QLabel(), QLabel()), (label("", "muted"), label("", "muted"))
        for picture, words, name in zip(self.pair, self._pair_words, PAIR, strict=True):
            one = QVBoxLayout()
            one.setSpacing(2)
            picture.setAccessibleName(f"{name}: the view with its zones")
            one.addWidget(picture)
            one.addWidget(words)
            pair.addLayout(one)
        pair.addStretch()
        column.addLayout(pair)
        column.addWidget(self.changes, 1)
        return column

    def _ranked(self) -> QWidget:
        """Every setting and the best combinations as marks, and as a table beneath."""
        whole = QWidget()
        column = QVBoxLayout(whole)
        column.setContentsMargins(0, 6, 0, 0)
        self.gains = GainPlot("")
        self.gains.chosen.connect(self.singles.selectRow)
        self.singles.currentCellChanged.connect(lambda row, *_: self.gains.select(row))
        self.singles.setIconSize(QSize(ICON_PX, ICON_PX))
        column.addWidget(self.gains)
        column.addWidget(self.singles, 1)
        return whole

    def _zone_picture(self, settings: Settings, width_px: int, reach: Sequence[float] = ()) -> QPixmap:
        """The view of the camera with the zones of some settings."""
        if self._view.isNull():
            self._view.loadFromData(self._camera.pictures.clean_view())
        aspect = aspect_of(self._camera.pictures.picture_size())
        return zone_picture(self._view, settings.detection.zones, width_px, aspect, reach)

    def _tables(self) -> QTabWidget:
        self.tabs = PartTabs()
        whole = self._trade_off()
        self.singles = self._table(("settings", "false", "lost", "late", "against installed"), 4)
        self.plan = self._table(("one change at a time", "false", "lost", "late", "shows after", "taps"))
        self.reasons = QListWidget()
        add_copying(self.reasons)
        self.reasons.setWordWrap(True)
        self.reasons.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self.reasons.setAccessibleName("Why these settings, and what would help beyond them")
        self.reasons.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.scale = ScaleView(self._session.step_model(PeopleModel, self._camera))
        self.compare = CompareView(self._session, self.model)
        self.compare.asked.connect(self.asked)
        self.check = CheckView(self.model)
        for page, words in (
            (whole, "Trade-off"), (self.compare, "Compare"), (self._ranked(), "Ranked"),
            (self.plan, "Step by step"), (self.reasons, "Why"), (self.scale, "Scale"), (self.check, "Check"),
        ):  # fmt: skip
            self.tabs.addTab(page, words)
        self.tabs.currentChanged.connect(lambda _: self.compare.refresh_if_shown())
        self.plan.itemActivated.connect(lambda item: self._take_step(item.row()))
        self.plan.setToolTip("Enter or a double click takes the change and those before it as the draft")
        return self.tabs

    @staticmethod
    def _table(heads: Sequence[str], *wide: int) -> RowTable:
        table = row_table(heads[0], heads)
        table.setWordWrap(True)
        stretch_columns(table, 0, *wide)
        return table

    def _ask_kinds(self) -> None:
        chosen = ask_kind_costs(self, self.model.kind_cost)
        if chosen is not None:
            self.model.kind_cost = chosen

    def _search(self) -> None:
        self.model.search()
        self._show_busy()

    def _stop(self) -> None:
        """Ask the search to stop, and say at once that this was heard."""
        self.stop.setEnabled(False)
        self.stop.setText("Stopping …")
        self.model.jobs.cancel()

    def _show_head(self) -> None:
        found = self.model.found
        self.headline.setText("Not searched yet" if found is None else _HEADS[found.answer])

    def _show_busy(self) -> None:
        busy = self.model.jobs.busy
        self.search.setEnabled(not busy)
        self.search.setVisible(not busy)  # the one stands in the place of the other
        self.stop.setVisible(busy)
        if not busy:
            self.stop.setEnabled(True)
            self.stop.setText("Stop")
            self._show_head()
        self.progress.setVisible(busy)
        self._show_tabs()
        self._draw()

    def _show_tabs(self) -> None:
        """The tabs of a search once it is done; the trade-off as soon as it begins."""
        found, busy = self.model.found is not None, self.model.jobs.busy
        for n in range(SEARCHED_TABS):
            self.tabs.setTabEnabled(n, found or (busy and n == 0))
        if busy or (found and not self._was_found):
            self.tabs.setCurrentIndex(0)
        elif not found and self.tabs.currentIndex() < SEARCHED_TABS:
            self.tabs.setCurrentWidget(self.scale)
        self._was_found = found

    def _on_progress(self, progress: object) -> None:
        if not isinstance(progress, Progress):
            return
        self._draw()  # as often as progress is told
        self.progress.setRange(0, progress.total)
        self.progress.setValue(progress.done)
        self.headline.setText(f"{SEARCHING}: {progress.words}")

    def refresh(self) -> None:
        """Show what was found."""
        tuned = self.model.found
        self._show_head()
        clear(self._figures)
        self.reasons.clear()
        self._show_tabs()
        if tuned is None:
            self.why.setText(
                "Search tries zones, levels, times and filters, and hours and alerts as the purpose asks for them. It "
                "leaves days out in turn to prove the choice and shows the whole trade-off. Nothing is changed."
            )
            self._fill(self.singles, [])
            self._fill(self.plan, [])
            self.gains.show_gains((), "")
        else:
            self._fill_figures(tuned)
            self.why.setText(" ".join(tuned.why[:SAID_FIRST]))
            self.reasons.addItems(tuned.why)
            now, now_zones = tuned.installed, self._camera.camera.installed.detection.zones
            ranked = [(words, counts, more) for words, counts, more in tuned.singles]
            together = [(words, counts, False) for words, _, counts in tuned.combinations]
            rows = [(words, *_cells(c, more=more), c.against(now)) for words, c, more in (*together, *ranked)]
            self._fill(self.singles, rows)
            for row, (_, candidate, _) in enumerate(tuned.combinations):
                item = self.singles.item(row, 0)
                if item is not None and candidate.settings.detection.zones != now_zones:
                    item.setIcon(QIcon(self._zone_picture(candidate.settings, ICON_PX)))
            counted = [(words, c, False) for words, c, _ in together] + [(words, c, True) for words, c, _ in ranked]
            gains = [Gain(words, now.nuisance - c.nuisance, c.lost - now.lost, one) for words, c, one in counted]
            self.gains.show_gains(gains, "false alerts" if now.alerting else "false recordings")
            self._fill(self.plan, [(s.words, *_cells(s.counts), _days(s), f"about {s.taps}") for s in tuned.plan])
        check = self._camera.check
        self.since.setText(check.words if check is not None else "")
        self.since.setVisible(check is not None)
        self.scale.refresh()
        self.check.refresh_if_shown()
        self._tell_judging(tuned)
        self.try_out(None)

    def _tell_judging(self, found: Tuned | None) -> None:
        """What is still worth judging."""
        count = len(found.telling) if found is not None else 0
        self.judge.setVisible(count > 0)
        self.judge.setText(f"Judge the {count_of(count, 'occurrence')} that could change this")
        if found is not None and not count:
            self.why.setText(f"{self.why.text()} Enough is judged: more would change nothing here.")

    def _fill_figures(self, found: Tuned) -> None:
        """Held out first, since that is what can be relied on; then tuned, then installed."""
        what = "false alerts a day" if found.installed.alerting else "false recordings a day"
        for column, text in enumerate(("", what, "real lost", "late or cut", "days")):
            self._figures.addWidget(label(text, "muted"), 0, column)
        rows = (("on days held out", found.held_out), ("installed, on the same days", found.installed_held_out),
                ("on the days it was chosen on", found.tuned))  # fmt: skip
        for row, (words, counts) in enumerate(rows, start=1):
            self._figures.addWidget(label(words, "strong" if row == 1 else ""), row, 0)
            texts = ("too few days", "", "", "") if counts is None else _figures(counts)
            for column, text in enumerate(texts, start=1):
                self._figures.addWidget(label(text, "strong" if row == 1 else ""), row, column)
        notes = []
        if found.margin is not None:
            notes.append(f"The weakest real one passes by {found.margin:.0%}.")
        if found.band is not None:
            low, high = found.band
            notes.append(
                f"By this camera's own scale, as far as it is known: {_range(high.nuisance, low.nuisance)} "
                f"{what.removesuffix(' a day')}, {_range(low.lost, high.lost)} lost."
            )
        if found.week is not None:
            recordings, missed, alerts = found.week
            false = alerts if found.installed.alerting else recordings
            notes.append(
                f"In a coming week {false.low:.0f} to {false.high:.0f} {what.removesuffix(' a day')} and up to "
                f"{missed.high:.0f} missed are to be expected (90 %)."
            )
        self._figures.addWidget(label(" ".join(notes), wrap=True), len(rows) + 1, 0, 1, 5)
        self._figures.setColumnStretch(4, 1)

    @staticmethod
    def _fill(table: QTableWidget, rows: Sequence[Sequence[str]]) -> None:
        table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                table.setItem(row, column, QTableWidgetItem(text))

    def try_out(self, candidate: Candidate | None) -> None:
        """Score a candidate in the panel beside the installed settings; None shows the draft again."""
        self.model.try_out(candidate)
        tuned = self.model.found
        self._show(candidate or (tuned.chosen if tuned is not None else None))

    def _show(self, candidate: Candidate | None) -> None:
        self._shown = candidate
        camera = self._camera.camera
        lines = [] if candidate is None else lines_against(camera.installed, candidate.settings, camera.capability)
        self._show_pair()
        self.changes.clear()
        changed = [f"{line.text}   ← {line.note}" for line in lines if line.changes]
        self.changes.addItems(changed or ["Nothing changes from what is installed."])
        if changed and (cost := self.model.cost_words(candidate)):
            self.changes.addItem(cost)
        self.take.setEnabled(candidate is not None and candidate.settings != camera.draft)
        self.back.setEnabled(self._camera.previewing)
        self.compare.refresh_if_shown()
        self._draw()

    def _show_pair(self) -> None:
        """The views with zones and reach, installed and as they are looked at."""
        camera = self._camera.camera
        shown = self._shown.settings if self._shown is not None else camera.installed
        both = zip(PAIR, self.pair, self._pair_words, (camera.installed, shown), strict=True)
        for name, picture, words, settings in both:
            reach = self._reach.reach_in_view(settings)
            picture.setPixmap(self._zone_picture(settings, THEME.px(PAIR_PX), [row for row, _ in reach]))
            picture.setToolTip("A walking adult triggers out to the dashed lines" if reach else "")
            far = ", ".join(metres for _, metres in reach)
            words.setText(f"{name}: to {far}" if far else name)

    def _take(self) -> None:
        if self._shown is not None:
            self.model.take(self._shown.settings, "take tuned settings")
            self._show(self._shown)

    def _take_step(self, row: int) -> None:
        tuned = self.model.found
        if tuned is not None:
            step = tuned.plan[row]
            self.model.take(step.candidate.settings, f"take a change: {step.words}")
            self._show(step.candidate)

    def _draw(self) -> None:
        plot, found, so_far = self.plot, self.model.found, self.model.so_far
        if self.model.jobs.busy and so_far:
            self._plot_title.setText("Tried so far; what is better lies lower and farther left")
            self._draw_so_far(so_far)
            return
        self._plot_title.setText("All that was tried, on the days it was chosen on; click a point to try it on")
        bottom = "false alerts" if found is None or found.installed.alerting else "false recordings"
        begin_plot(plot, left="real ones lost", bottom=bottom)
        if found is None:
            return
        front = sorted((p for p in found.points if p.best), key=lambda p: p.counts.nuisance)
        at = [(p.counts.nuisance, p.counts.lost) for p in front]
        plot.plot(*zip(*at, strict=True), pen=pg.mkPen(THEME.colour("accent"), width=1.4))
        dots = pg.ScatterPlotItem(hoverable=True, tip=None)
        dots.addPoints([self._dot(p) for p in found.points])
        dots.sigClicked.connect(self._clicked)
        plot.addItem(dots)
        for counts, words, name, symbol in (
            (found.installed, "installed", "muted", "s"), (found.tuned, "chosen", "accent", "star"),
        ):  # fmt: skip
            item = pg.ScatterPlotItem([counts.nuisance], [counts.lost], symbol=symbol, size=17,
                                      pen=pg.mkPen(THEME.colour("surface"), width=1.2),
                                      brush=pg.mkBrush(THEME.colour(name)))  # fmt: skip
            plot.addItem(item)
            right = counts is found.installed
            # Side by side the two words would lie on each other: the one goes above, the other below.
            text = pg.TextItem(words, color=THEME.colour("ink"), anchor=(1.15, 1.1) if right else (-0.2, -0.1))
            text.setPos(counts.nuisance, counts.lost)
            plot.addItem(text)
        near = 1.15 * max(found.installed.nuisance, found.tuned.nuisance, 4)
        high = max([6, found.installed.lost + 2, *(p.counts.lost for p in front if p.counts.nuisance)])
        plot.setXRange(0, near)
        plot.setYRange(-0.3, min(high, max(6, 2 * found.installed.lost + 4)))

    def _draw_so_far(self, tried: Sequence[Counts]) -> None:
        """What was tried until now, on the scale of the installed settings; nothing is chosen yet."""
        installed = tried[0]
        plot, bottom = self.plot, "false alerts" if installed.alerting else "false recordings"
        begin_plot(plot, left="real ones lost", bottom=bottom)
        front = pareto([(c.lost, c.nuisance) for c in tried])
        for best in (False, True):
            at = dict.fromkeys((c.nuisance, c.lost) for c in tried if ((c.lost, c.nuisance) in front) is best)
            pen = pg.mkPen(THEME.colour("accent" if best else "muted"), width=1.2)
            brush = pg.mkBrush(THEME.colour("accent") if best else None)
            plot.addItem(pg.ScatterPlotItem([x for x, _ in at], [y for _, y in at], size=10 if best else 6, pen=pen,
                                            brush=brush))  # fmt: skip
        plot.addItem(pg.ScatterPlotItem([installed.nuisance], [installed.lost], symbol="s", size=17,
                                        brush=pg.mkBrush(THEME.colour("muted"))))  # fmt: skip
        plot.setXRange(0, 1.15 * max(installed.nuisance, 4))
        plot.setYRange(-0.3, max(6, 2 * installed.lost + 4))

    def _dot(self, point: Point) -> dict[str, object]:
        shown = self._shown is not None and point.candidate == self._shown
        colour = THEME.colour("accent" if point.best else "muted")
        return {
            "pos": (point.counts.nuisance, point.counts.lost), "data": point, "symbol": "o",
            "size": 15 if shown else 10 if point.best else 6, "pen": pg.mkPen(colour, width=1.2),
            "brush": pg.mkBrush(colour if point.best else None),
        }  # fmt: skip

    def _clicked(self, _item: object, points: Sequence[pg.SpotItem], *_: object) -> None:
        for point in points:
            self.try_out(point.data().candidate)
            break

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Leave the draft as it is kept."""
        super().hideEvent(event)
        self.model.try_out(None)


def _range(one: int, other: int) -> str:
    return str(one) if one == other else f"{min(one, other)} to {max(one, other)}"


def _days(step: PlanStep) -> str:
    """When the effect of a change shows."""
    return "no effect to see" if step.days is None else count_of(step.days, "day")


def _cells(counts: Counts, *, more: bool = False) -> tuple[str, str, str]:
    return f"{counts.nuisance} or more" if more else str(counts.nuisance), str(counts.lost), str(counts.late)


def _figures(counts: Counts) -> tuple[str, str, str, str]:
    rate, lost = counts.nuisance_per_day, counts.lost_share
    return (
        f"{counts.nuisance}" if rate is None else f"{rate[0]:.1f} ({rate[1]:.1f} to {rate[2]:.1f})",
        "none judged" if lost is None else f"{counts.lost} of {counts.real} ({lost[1]:.0%} to {lost[2]:.0%})",
        str(counts.late),
        f"{counts.days:.1f}" if counts.days else "not known",
    )
