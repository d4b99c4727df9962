"""Zones: watch and ignore polygons over the camera's clean view, with the heat of false and of real events."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.site.copying import zone_sources
from guardia.app.steps.polygon_tool import DrawMode, PolygonTool
from guardia.app.steps.proposal_model import ProposalModel
from guardia.app.work.messages import Severity
from guardia.core.make.capability import Capability
from guardia.core.make.settings import entered_zones, zone_limits_broken
from guardia.core.make.zones import PolygonZone, Zone, ZoneDoes, ZoneKind, outline_share, zone_cells
from guardia.core.purpose.judgement import Verdict
from guardia.ui.canvas.zone_canvas import EDGE_PX, ZoneCanvas
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import MarkSign, WrappedLabel, button, label, page_head

HEAD_PX, BELOW_PX, BESIDE_PX = 96, 120, 260
"""Room of the tools above the picture, and of the lists when they stand below it or beside it."""

ANY_PX = 16_777_215
"""Qt's own largest size of a widget: no bound."""

_HINTS = {
    DrawMode.SELECT: "Drag a corner, a zone, or the dot on an edge; Esc undoes it. Double-click: what moved there.",
    DrawMode.PAINT: "Drag over blocks to switch them on or off.",
}
_DRAWING = {
    False: "Click corners and close with Enter, or drag a rectangle; Enter alone puts one in the middle. Esc drops it.",
    True: "Drag a rectangle (this make takes no other shape), or Enter puts one in the middle. Esc drops it.",
}


class ZonesPage(QWidget):
    """Tools, picture and the list of zones. `asked` is emitted with occurrences to be shown and their title."""

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self._model = model
        capability = model.camera.capability
        self.tool = PolygonTool.of_make(
            capability,
            preview=self._preview,
            commit=self.commit,
            refuse=lambda why: session.messages.tell(why, Severity.WARNING),
        )
        self.proposal = session.step_model(ProposalModel, model)
        self.canvas = ZoneCanvas(model, self.tool)
        layout, head = page_head(self, "Zones")
        self._add_tools(head, capability)
        layout.addLayout(head)
        self.hint = label("", "muted", wrap=True)
        layout.addWidget(self.hint)
        layout.addWidget(self._offer_row())
        self._body = QBoxLayout(QBoxLayout.Direction.TopToBottom)
        self._body.addWidget(self.canvas, 1)
        self.side = self._side()
        self._body.addWidget(self.side)
        layout.addLayout(self._body, 1)
        self.canvas.picked.connect(self._fill_list)
        self.canvas.asked.connect(self.asked)
        model.draft_changed.connect(self._take_draft)
        model.evidence_changed.connect(self.canvas.refresh_evidence)
        model.judgements_changed.connect(self.canvas.refresh_evidence)
        self.setFocusProxy(self.canvas)
        self._take_draft()
        self.set_mode(DrawMode.SELECT)
        self._start(self.proposal.jobs.busy, "Seeking …")
        self._show_offer()

    def _add_tools(self, head: QHBoxLayout, capability: Capability) -> None:
        head.addStretch()
        group = QButtonGroup(self)
        self.modes: dict[DrawMode, QPushButton] = {}
        for mode, text, tip in (
            (DrawMode.SELECT, "&Select", "Move corners and zones; drag the dot on an edge to insert a corner"),
            (DrawMode.WATCH, "&Watch", "Draw: only motion in watch zones counts"),
            (DrawMode.IGNORE, "&Ignore", "Draw: motion in ignore zones is left out"),
            (DrawMode.MASK, "&Mask", "Draw: a privacy mask blacks the area out; nothing is seen or detected there"),
            (DrawMode.PAINT, "P&aint", "Switch the make's own blocks on and off by dragging over them"),
        ):
            if mode is DrawMode.PAINT and capability.zone_form != "blocks":
                continue
            if mode is DrawMode.MASK and not capability.privacy_masks:
                continue
            tool = button(text, partial(self.set_mode, mode), tip=tip)
            tool.setCheckable(True)
            group.addButton(tool)
            self.modes[mode] = tool
            head.addWidget(tool)
        head.addWidget(button("Delete", self._delete, tip="Delete the selected corner or zone (Del)"))
        self.more = button("More", lambda: None, tip="Simplify, straighten, copy zones from elsewhere")
        menu = self._more_menu()
        self.more.setMenu(menu)
        head.addWidget(self.more)
        delete = QAction("Delete", self)
        delete.triggered.connect(self._delete)
        self.canvas.addActions([delete, *menu.actions()])
        self.canvas.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        tip = "Seek the least area to ignore that silences most false recordings and keeps every real one"
        self.seek = button("P&ropose", self._seek, "primary", tip)
        head.addWidget(self.seek)

    def _more_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.addAction("Simplify the selected zone", self.simplify)
        menu.addAction("Straighten the selected zone", self.straighten)
        menu.addAction("Fit all zones to this make", self._fit)
        menu.addAction("Show what moved in the selected zone", self.show_moved)
        copies = QMenu("Copy zones from", menu)
        copies.aboutToShow.connect(lambda: self._fill_copies(copies))
        menu.addMenu(copies)
        return menu

    def _fill_copies(self, menu: QMenu) -> None:
        menu.clear()
        for name, zones in zone_sources(self._session, self._model.camera.id):
            menu.addAction(name, lambda n=name, z=zones: self.copy_zones(n, z))
        if menu.isEmpty():
            nothing = menu.addAction("No other zones are known")
            if nothing is not None:
                nothing.setEnabled(False)

    def copy_zones(self, name: str, zones: tuple[Zone, ...]) -> None:
        """Put zones of other settings in place of the draft's; what this make cannot take is fitted and offered."""
        capability, what = self._model.camera.capability, f"copy zones from {name}"
        wanted = self._model.draft.with_values(zones=zones)
        if zone_limits_broken(wanted, capability) or entered_zones(wanted, capability) != zones:
            self._start(self.proposal.convert(zones, what), "Fitting the zones to this make …")
        else:
            self._model.change_draft(wanted, what)

    def _fit(self) -> None:
        what = "fit zones to the make"
        self._start(self.proposal.convert(self._model.draft.detection.zones, what), "Fitting the zones to this make …")

    def show_moved(self) -> None:
        """Ask for the occurrences that moved in the selected zone, or in the whole picture."""
        grid = self._model.grid
        selected = self._selected_zone()
        if isinstance(selected, PolygonZone):
            cells = outline_share(selected.points, grid=grid) > 0
        else:
            cells = zone_cells(() if selected is None else (selected,), grid=grid)
        ids, words = self.canvas.heat.over(cells) if self._model.evidence.stack.frames else ((), "")
        if ids:
            self.asked.emit(ids, words)
        else:
            self._session.messages.tell("Nothing that is judged moved there.")

    def simplify(self) -> None:
        if not self.tool.simplify():
            self._session.messages.tell("Select a zone with more than three corners to simplify it.")

    def straighten(self) -> None:
        if not self.tool.straighten():
            self._session.messages.tell("Select a zone with an edge that is nearly level or upright to straighten it.")

    def _offer_row(self) -> QWidget:
        """What the proposal says, and what can be done with it."""
        self.offer = QFrame()
        self.offer.setObjectName("card")
        row = QHBoxLayout(self.offer)
        row.setContentsMargins(10, 6, 10, 6)
        self.offer_words = WrappedLabel()
        row.addWidget(self.offer_words, 1)
        self.part = QComboBox()
        self.part.setAccessibleName("How many steps to take")
        self.part.currentIndexChanged.connect(self._show_steps)
        self.take = button("Take", lambda: self.proposal.take(self.part.currentData()), "primary")
        for widget in (self.part, self.take, button("Drop", self.proposal.drop)):
            row.addWidget(widget)
        self.offer.hide()
        self.proposal.changed.connect(self._show_offer)
        self.proposal.jobs.finished.connect(self._sought)
        return self.offer

    def _seek(self) -> None:
        self._start(self.proposal.seek(), "Seeking …")

    def _start(self, started: bool, words: str) -> None:
        """Show that zones are being sought."""
        if started:
            self.seek.setEnabled(False)
            self.offer_words.setText(words)
            self.part.hide()
            self.take.setEnabled(False)
            self.offer.show()
            self._arrange()

    def _sought(self) -> None:
        self.seek.setEnabled(True)
        if self.proposal.offer is None:
            self.offer.hide()
            self._arrange()

    def _show_offer(self) -> None:
        offer = self.proposal.offer
        self.canvas.proposed = None
        self.canvas.offered = ()
        self.canvas.update()
        self.offer.setVisible(offer is not None or self.proposal.jobs.busy)
        self._arrange()
        if offer is None:
            return
        self.offer_words.setText(offer.words)
        steps = len(offer.steps)
        self.part.blockSignals(True)
        self.part.clear()
        for number in range(steps, 0, -1):
            self.part.addItem("all of it" if number == steps else f"the first {number}", number)
        self.part.blockSignals(False)
        self.part.setVisible(steps > 1)
        self.take.setEnabled(steps > 0)
        self._show_steps()

    def _show_steps(self) -> None:
        """Show the zones of the steps that would be taken."""
        offer, chosen = self.proposal.offer, self.part.currentData()
        shown = offer is not None and bool(chosen)
        self.canvas.offered = offer.steps[chosen - 1] if offer is not None and chosen else ()
        self.canvas.proposed = self.proposal.left_out(chosen) if shown else None
        self.canvas.update()

    def _side(self) -> QWidget:
        """Zones, their numbers and what is shown: in a row below the picture, or in a column beside it."""
        side = QWidget()
        self._parts = QBoxLayout(QBoxLayout.Direction.LeftToRight, side)
        self._parts.setContentsMargins(0, 0, 0, 0)
        self._parts.setSpacing(12)
        self._parts.addLayout(self._zones_and_corners(), 3)
        self._parts.addLayout(self._selected(), 2)
        self._parts.addLayout(self._legend())
        return side

    def _zones_and_corners(self) -> QVBoxLayout:
        """The list of zones, and in its place the corners of the selected one."""
        column = QVBoxLayout()
        column.setSpacing(2)
        row = QHBoxLayout()
        row.setSpacing(2)
        self._listed = QStackedWidget()
        self._listed.setMinimumHeight(76)
        group = QButtonGroup(self)
        for number, (text, tip) in enumerate(
            (("Zones", "The zones of the draft"), ("Corners", "Corners of the selected zone, in % of the picture"))
        ):
            tab = button(text, partial(self._listed.setCurrentIndex, number), "tab", tip)
            tab.setCheckable(True)
            tab.setChecked(number == 0)
            group.addButton(tab)
            row.addWidget(tab)
        row.addStretch()
        column.addLayout(row)
        self.zone_list = QListWidget()
        self.zone_list.setWordWrap(True)
        self.zone_list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.zone_list.setAccessibleName("Zones of the draft")
        self.zone_list.currentRowChanged.connect(self._select_listed)
        self._listed.addWidget(self.zone_list)
        self.corners = QTableWidget(0, 2)
        self.corners.setHorizontalHeaderLabels(["left, %", "top, %"])
        self.corners.setAccessibleName("Corners of the selected zone")
        header = self.corners.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.corners.cellChanged.connect(self._corner_typed)
        self._listed.addWidget(self.corners)
        column.addWidget(self._listed, 1)
        return column

    def _selected(self) -> QVBoxLayout:
        """Name and notch of the selected zone, and what the make cannot take."""
        column = QVBoxLayout()
        self.name_field = QLineEdit()
        self.name_field.setPlaceholderText("Name of zone")
        self.name_field.editingFinished.connect(self._rename)
        column.addWidget(self.name_field)
        self.own_notch = QComboBox()
        self.own_notch.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.own_notch.setMinimumContentsLength(8)
        self.own_notch.setAccessibleName("Sensitivity of the selected zone")
        self.own_notch.addItem("camera's level", "")
        for notch in self._model.camera.capability.notches:
            self.own_notch.addItem(f"own level {notch.label}", notch.label)
        self.own_notch.activated.connect(lambda _i: self._set_notch())
        self.own_notch.setVisible(self._model.camera.capability.zone_sensitivity)
        column.addWidget(self.own_notch)
        make = self._model.camera.capability
        self.does, self.of_class = QComboBox(), QComboBox()
        for does in ZoneDoes:
            self.does.addItem(does.value, does)
        self.of_class.addItem("for everything", ())
        for name in make.object_classes:
            self.of_class.addItem(f"only for {name}", (name,))
        for box, words, shown in (
            (self.does, "What the selected zone is for", make.zone_does),
            (self.of_class, "Class that the selected zone holds for", make.zone_classes and bool(make.object_classes)),
        ):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
            box.setAccessibleName(words)
            box.activated.connect(lambda _i: self._set_use())
            box.setVisible(shown)
            column.addWidget(box)
        self.limits = WrappedLabel()
        self.limits.setObjectName("warning")
        column.addWidget(self.limits)
        self.fit = button(
            "Fit to this make", self._fit, tip="Offer zones that can be entered on this make in place of these"
        )
        column.addWidget(self.fit)
        column.addStretch()
        return column

    def _legend(self) -> QVBoxLayout:
        """What is drawn over the picture, each to be switched off."""
        legend = QVBoxLayout()
        legend.setSpacing(4)
        for verdict, text, attribute in (
            (Verdict.REAL, "where real events moved", "show_real"),
            (Verdict.FALSE, "where false events moved", "show_false"),
            (None, "grid cells in the zone", "show_cells"),
        ):
            row = QHBoxLayout()
            check = QCheckBox(text)
            check.setToolTip("Marks fade under the pointer; H hides them all, and shows them again")
            check.setChecked(getattr(self.canvas, attribute))
            check.toggled.connect(lambda on, a=attribute: self._show(a, on))
            if verdict is not None:
                row.addWidget(MarkSign(verdict))
            row.addWidget(check)
            row.addStretch()
            legend.addLayout(row)
        legend.addStretch()
        return legend

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Put the lists where they leave the picture larger: below it, or beside it."""
        super().resizeEvent(event)
        self._arrange()

    def _arrange(self) -> None:
        offer_px = 0 if self.offer.isHidden() else self.offer.sizeHint().height()
        width, height = self.width() - 36 - 2 * EDGE_PX, self.height() - THEME.px(HEAD_PX) - offer_px - 2 * EDGE_PX
        aspect = self.canvas.aspect()
        below = min(width, (height - THEME.px(BELOW_PX)) / aspect)
        beside = min(width - THEME.px(BESIDE_PX), height / aspect)
        stacked = below >= beside
        down, across = QBoxLayout.Direction.TopToBottom, QBoxLayout.Direction.LeftToRight
        self._body.setDirection(down if stacked else across)
        self._parts.setDirection(across if stacked else down)
        self.canvas.setMaximumHeight(round(width * aspect) + 2 * EDGE_PX if stacked else ANY_PX)
        self.side.setMinimumWidth(0 if stacked else THEME.px(BESIDE_PX))
        self.side.setMaximumWidth(ANY_PX if stacked else THEME.px(BESIDE_PX))
        self.side.setMaximumHeight(max(THEME.px(BELOW_PX), height - round(width * aspect)) if stacked else ANY_PX)

    def _show(self, attribute: str, on: bool) -> None:
        setattr(self.canvas, attribute, on)
        self.canvas.update()

    def set_mode(self, mode: DrawMode) -> None:
        """Change the tool."""
        self.tool.set_mode(mode)
        self.modes[mode].setChecked(True)
        shape = Qt.CursorShape.ArrowCursor if mode is DrawMode.SELECT else Qt.CursorShape.CrossCursor
        self.canvas.setCursor(shape)
        self.canvas.setFocus()
        self.hint.setText(_HINTS.get(mode) or _DRAWING[self._model.camera.capability.zone_form == "rectangles"])
        self.canvas.update()

    def _delete(self) -> None:
        self.tool.delete()
        self.canvas.setFocus()

    def _preview(self, zones: tuple[Zone, ...]) -> None:
        self._model.preview(self._model.draft.with_values(zones=zones))
        self.canvas.update()

    def commit(self, zones: tuple[Zone, ...], what: str) -> None:
        self._model.change_draft(self._model.draft.with_values(zones=zones), what)

    def _take_draft(self) -> None:
        if self._model.draft.detection.zones != self.tool.zones or self.tool.in_gesture:
            self.tool.set_zones(self._model.draft.detection.zones)
        if self.tool.mode is DrawMode.SELECT and not self.modes[DrawMode.SELECT].isChecked():
            self.set_mode(DrawMode.SELECT)
        self._fill_list()
        broken = zone_limits_broken(self._model.draft, self._model.camera.capability)
        self.limits.setText("\n".join([*broken, *self._model.entered_words()]))
        self.fit.setVisible(bool(broken))
        self.canvas.update()

    def _fill_list(self) -> None:
        self.zone_list.blockSignals(True)
        self.zone_list.clear()
        for zone in self.tool.zones:
            if isinstance(zone, PolygonZone):
                text = f"{zone.name}:  {zone.kind.value}, {len(zone.points)} corners"
            else:
                text = f"blocks:  {sum(zone.active)} of {zone.columns} x {zone.rows} watched"
            self.zone_list.addItem(QListWidgetItem(text))
        if not self.tool.zones:
            nothing = QListWidgetItem("No zones: all of it counts")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.zone_list.addItem(nothing)
        self.zone_list.setCurrentRow(-1 if self.tool.selected is None else self.tool.selected)
        self.zone_list.blockSignals(False)
        self._fill_name()

    def select_zone(self, zone: int) -> None:
        """Select a zone in the list and on the picture."""
        self.zone_list.setCurrentRow(zone)

    def _select_listed(self, row: int) -> None:
        self.tool.select(row if 0 <= row < len(self.tool.zones) else None)
        self._fill_name()
        self.canvas.update()

    def _selected_zone(self) -> Zone | None:
        selected = self.tool.selected
        return self.tool.zones[selected] if selected is not None and selected < len(self.tool.zones) else None

    def _fill_name(self) -> None:
        zone = self._selected_zone()
        self.name_field.setText(zone.name if isinstance(zone, PolygonZone) else "")
        points = zone.points if isinstance(zone, PolygonZone) else ()
        self.corners.blockSignals(True)
        self.corners.setRowCount(len(points))
        for row, point in enumerate(points):
            for column in (0, 1):
                item = QTableWidgetItem(f"{100 * point[column]:.1f}")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.corners.setItem(row, column, item)
        self.corners.blockSignals(False)
        self.name_field.setEnabled(isinstance(zone, PolygonZone))
        watched = isinstance(zone, PolygonZone) and zone.kind is ZoneKind.WATCH
        self.own_notch.setEnabled(watched)
        own = zone.notch if isinstance(zone, PolygonZone) else ""
        self.own_notch.setCurrentIndex(max(0, self.own_notch.findData(own)))
        for box in (self.does, self.of_class):
            box.setEnabled(watched)
        use = (zone.does, zone.classes) if isinstance(zone, PolygonZone) else (ZoneDoes.BOTH, ())
        self.does.setCurrentIndex(self.does.findData(use[0]))
        if self.of_class.findData(use[1]) < 0:  # several classes, as a file may say
            self.of_class.addItem(f"only for {' or '.join(use[1])}", use[1])
        self.of_class.setCurrentIndex(self.of_class.findData(use[1]))

    def _corner_typed(self, row: int, column: int) -> None:
        """Move a corner to the numbers typed; bad ones are told and put back."""
        zone = self._selected_zone()
        item = self.corners.item(row, column)
        if not isinstance(zone, PolygonZone) or item is None:
            return
        try:
            value = float(item.text().replace("%", "").replace(",", ".").strip())
        except ValueError:
            self._session.messages.tell(f"'{item.text()}' is no number; the corner was kept.", Severity.WARNING)
            value = math.nan
        if not 0 <= value <= 100:
            if not math.isnan(value):
                problem = f"A corner lies in the picture, from 0 to 100 %; {value:g} % was not taken."
                self._session.messages.tell(problem, Severity.WARNING)
        else:
            x, y = zone.points[row]
            self.tool.set_corner(row, (value / 100, y) if column == 0 else (x, value / 100))
        self._fill_name()
        self.canvas.update()

    def _set_notch(self) -> None:
        if self.tool.selected is not None:
            self.tool.set_notch(self.tool.selected, self.own_notch.currentData())

    def _set_use(self) -> None:
        if self.tool.selected is not None:
            self.tool.set_use(self.tool.selected, self.does.currentData(), tuple(self.of_class.currentData() or ()))

    def _rename(self) -> None:
        if self.tool.selected is not None:
            self.tool.rename(self.tool.selected, self.name_field.text())
