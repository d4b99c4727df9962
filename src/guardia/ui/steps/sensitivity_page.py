"""Sensitivity: the make's notch and times, the size of motion over time, and every occurrence against the threshold."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QHBoxLayout, QSlider, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.people_model import PeopleModel
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Occurrence
from guardia.core.make.levers import (
    DETECTION_ON,
    HOLD,
    LENGTH,
    LEVER_OF,
    NIGHT_NOTCH,
    NOTCH,
    OBJECTS,
    PRE_RECORD,
    REST,
    STOP_WHEN_STILL,
    Lever,
)
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.trace.measure import CELL_SIZE
from guardia.ui.parts.plots import UprightLine, colour_plot, still_plot
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, HelpLine, card, choice, label, page_head

LEAST_SHOWN = 0.04
"""Smaller motion, % of the picture, is drawn at the plot's left edge."""

_SIGNS: dict[Verdict | None, tuple[str, str]] = {Verdict.REAL: ("real", "o"), Verdict.FALSE: ("false", "d")}
_LANES = {Verdict.REAL: 2.0, Verdict.FALSE: 1.0, None: 0.0, Verdict.UNSURE: 0.0}


MOST_LETTERS = 13
"""A choice is no wider than so many letters; the list that opens shows it whole."""


class SensitivityPage(FreshPage):
    """Controls above, two plots below."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self._people = session.step_model(PeopleModel, model)
        self._model = model
        layout, head = page_head(self, "Sensitivity")
        head.addWidget(label(model.camera.capability.name, "muted"))
        head.addStretch()
        self.detection_on = QCheckBox("Motion detection on")
        self.help_line = HelpLine("Point at a control or step to it with Tab to see here what it does.")
        self.help_line.explain(self.detection_on, DETECTION_ON.help)
        self.detection_on.toggled.connect(lambda on: self._change("switch detection", detection_on=on))
        head.addWidget(self.detection_on)
        layout.addLayout(head)
        layout.addWidget(self._controls())
        layout.addWidget(self.help_line)
        self.curve = still_plot("Size of the motion over the clip", least_px=0)
        self.curve.setMouseEnabled(x=True, y=False)
        self.strip = still_plot("Largest motion of each occurrence", least_px=0)
        self._style_plots()
        self.curve_title = label("", "head", wrap=True)
        layout.addWidget(self.curve_title)
        layout.addWidget(self.curve, 5)
        layout.addWidget(
            label("Largest motion of each occurrence against the threshold; click to see its curve", "head", wrap=True)
        )
        layout.addWidget(self.strip, 4)
        self._points: dict[int, int] = {}
        model.draft_changed.connect(self._take_draft)
        self._people.changed.connect(self._name_walk)  # people are measured behind
        model.comparison_changed.connect(self.refresh_if_shown)
        model.selection_changed.connect(self.refresh_if_shown)
        self.setFocusProxy(self.notch)
        THEME.changed.connect(self._style_plots)
        THEME.changed.connect(self.refresh_if_shown)
        self._take_draft()

    def _slider(self, count: int) -> QSlider:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, count - 1)
        slider.setPageStep(1)
        slider.setTickPosition(QSlider.TickPosition.TicksBelow)
        slider.setTickInterval(1)
        slider.setMinimumWidth(190)
        slider.setAccessibleName("Sensitivity level")
        self.help_line.explain(slider, NOTCH.help)
        slider.sliderMoved.connect(lambda at: self._model.preview(self._with_notch(at)))
        slider.valueChanged.connect(self._notch_moved)
        slider.sliderReleased.connect(lambda: self._keep_notch(slider.value()))
        return slider

    def _controls(self) -> QWidget:
        frame = card()
        grid = QGridLayout(frame)
        grid.setContentsMargins(14, 10, 14, 10)
        grid.setHorizontalSpacing(14)
        capability = self._model.camera.capability
        grid.addWidget(label("Sensitivity", "muted"), 0, 0)
        self.notch = self._slider(len(capability.notches))
        grid.addWidget(self.notch, 1, 0)
        self._notch_text = label("", "head", wrap=True)
        grid.addWidget(self._notch_text, 2, 0, 1, 3)
        self.choices: dict[str, QComboBox] = {}
        levers: tuple[Lever[Any], ...] = (HOLD, PRE_RECORD, LENGTH, REST)
        for column, lever in enumerate(levers, start=1):
            box = choice([(lever.say(choice, capability), choice) for choice in lever.options(capability)])
            self.help_line.explain(box, lever.help)
            box.setAccessibleName(lever.subject)
            box.activated.connect(
                lambda _i, lever=lever, box=box: self._change(lever.name, **{lever.id: box.currentData()})
            )
            self.choices[lever.id] = box
            grid.addWidget(label(lever.subject, "muted"), 0, column)
            grid.addWidget(box, 1, column)
        self._band = label("", "muted", wrap=True)
        grid.addWidget(self._band, 3, 0, 1, 3)
        self._at_night = self._night_row()
        grid.addWidget(self._at_night, 4, 0, 1, 3)
        self.stop_when_still = QCheckBox("stop once it is still")
        self.stop_when_still.setEnabled(capability.stop_when_still)
        self.help_line.explain(self.stop_when_still, STOP_WHEN_STILL.help)
        self.stop_when_still.toggled.connect(lambda on: self._change("stop once it is still", stop_when_still=on))
        grid.addWidget(self.stop_when_still, 2, 3, 1, 2)
        self.objects: dict[str, QCheckBox] = {}
        if capability.object_classes:
            row = QHBoxLayout()
            row.setSpacing(12)
            row.addWidget(label("Only", "muted"))
            for name in capability.object_classes:
                class_box = QCheckBox(name)
                self.help_line.explain(class_box, OBJECTS.help)
                class_box.toggled.connect(lambda _on: self._change_objects())
                self.objects[name] = class_box
                row.addWidget(class_box)
            row.addStretch()
            grid.addLayout(row, 3, 3, 1, 2)
        grid.setColumnStretch(0, 1)
        return frame

    def _night_row(self) -> QWidget:
        """The notch for the night, below that of the camera."""
        line = QWidget()
        row = QHBoxLayout(line)
        row.setContentsMargins(0, 0, 0, 0)
        self.night = QComboBox()
        self._night_text = label("", "muted", wrap=True)
        self.night.addItem("as by day", "")
        for notch in self._model.camera.capability.notches:
            self.night.addItem(notch.label, notch.label)
        self.night.setAccessibleName("Sensitivity at night")
        self.help_line.explain(self.night, NIGHT_NOTCH.help)
        self.night.activated.connect(
            lambda _i: self._change("set sensitivity at night", night_notch=self.night.currentData())
        )
        row.addWidget(label("At night", "muted"))
        row.addWidget(self.night)
        row.addWidget(self._night_text, 1)
        return line

    def _change_objects(self) -> None:
        chosen = tuple(name for name, box in self.objects.items() if box.isChecked())
        self._change("object filter", objects=chosen)

    def _with_notch(self, at: int) -> Settings:
        label_ = self._model.camera.capability.notches[at].label
        return self._model.draft.with_values(notch=label_, sensitivity=None)

    def _notch_moved(self, at: int) -> None:
        if not self.notch.isSliderDown():
            self._keep_notch(at)

    def _keep_notch(self, at: int) -> None:
        self._model.change_draft(
            self._with_notch(at), f"set sensitivity {self._model.camera.capability.notches[at].label}"
        )

    def _change(self, what: str, **values: object) -> None:
        draft = self._model.draft.with_values(**values)
        if draft != self._model.draft:
            self._model.change_draft(draft, what)

    def _take_draft(self) -> None:
        draft = self._model.draft
        labels = [n.label for n in self._model.camera.capability.notches]
        for widget in (self.notch, self.detection_on, self.stop_when_still, *self.choices.values()):
            widget.blockSignals(True)
        if draft.detection.notch in labels:
            self.notch.setValue(labels.index(draft.detection.notch))
        at_night = draft.detection.night_notch
        if self.night.findData(at_night) < 0:
            self.night.addItem(f"{at_night} (not on offer)", at_night)
        self.night.setCurrentIndex(self.night.findData(at_night))
        self.night.setEnabled(draft.detection.sensitivity is None)
        self._at_night.setVisible(self._model.camera.capability.night_notch or bool(at_night))
        self.detection_on.setChecked(draft.detection.detection_on)
        self.stop_when_still.setChecked(draft.recording.stop_when_still)
        offered, fixed = self._model.camera.capability.stop_when_still, draft.recording.length_s is not None
        self.stop_when_still.setEnabled(offered and (fixed or draft.recording.stop_when_still))
        for name, check in self.objects.items():
            check.blockSignals(True)
            check.setChecked(name in draft.detection.objects)
            check.blockSignals(False)
        for name, box in self.choices.items():
            value = LEVER_OF[name].read(draft)
            if box.findData(value) < 0:
                words = LEVER_OF[name].say(value, self._model.camera.capability)
                box.addItem(f"{words} (not on offer)", value)
            box.setCurrentIndex(box.findData(value))
            # What the make does not offer is longer than what it does, and is cut rather than the page.
            if max(len(box.itemText(n)) for n in range(box.count())) > MOST_LETTERS:
                box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
                box.setMinimumContentsLength(MOST_LETTERS)
        for widget in (self.notch, self.detection_on, self.stop_when_still, *self.choices.values()):
            widget.blockSignals(False)

    def _style_plots(self) -> None:
        colour_plot(self.curve, left="size, % of picture", bottom="seconds of the clip")
        colour_plot(self.strip, left="", bottom=self._axis_words())
        self.strip.getAxis("left").setTicks([[(2.0, "real"), (1.0, "false"), (0.0, "not judged")]])
        for plot in (self.curve, self.strip):
            plot.getAxis("left").setWidth(86)
        ticks = [(float(np.log10(v)), f"{v:g}") for v in (0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 40, 80)]
        self.strip.getAxis("bottom").setTicks([ticks])

    def _axis_words(self) -> str:
        """What is measured across; sizes at another notch are drawn to the camera's, so that one line parts all."""
        words = "largest motion in the zone, % of picture"
        parts = self._model.comparison.draft_replay.motion.parts
        return words if len({part.needed for part in parts}) == 1 else f"{words} (to the scale of the camera's level)"

    def refresh(self) -> None:
        """Draw the curve and the strip as they are now."""
        capability = self._model.camera.capability
        draft = self._model.draft
        contrast, _ = draft.sensitivity_under(capability)
        if draft.detection.sensitivity is None:
            notch = capability.notch(draft.detection.notch)
            band = f"{notch.size_low * 100:.2f} to {notch.size_high * 100:.2f} %"
            state = "calibrated" if capability.calibrated else "not calibrated"
            size = f"{100 * notch.size:.2f} %"
            self._notch_text.setText(f"{notch.label}: nominally from {size} of the picture on, in one piece")
            self._notch_text.setToolTip(f"Band {band}, {state}: contrast {contrast} of 255 luma steps")
            scale = next(s for s in self._model.scales if s.label == notch.label)
            own = f"{100 * notch.size * scale.low:.2f} to {100 * notch.size * scale.high:.2f} %"
            seen_words = f", {count_of(scale.seen, 'clip')} at this level" if scale.seen else ""
            self._band.setText(f"{state}; on this camera {own} (95 %{seen_words})")
            self._name_walk()
        else:
            self._notch_text.setText(
                f"given directly: from {100 * draft.detection.sensitivity[1]:.2f} % of the picture on, in one piece"
            )
            self._notch_text.setToolTip(
                f"Contrast {contrast} of 255 luma steps; moving the slider takes a level instead"
            )
            self._band.setText("no level of this make; moving the slider takes one")
        at_night = draft.in_light(dark=True).sensitivity_under(capability)
        self._night_text.setText(f"from {100 * at_night.size:.2f} % of the picture on" if len(draft.lights) > 1 else "")
        self._night_text.setToolTip(f"Contrast {at_night.contrast} of 255 luma steps")
        self.strip.setLabel("bottom", self._axis_words())
        self._draw_curve()
        self._draw_strip()

    def _name_walk(self) -> None:
        """Say beside the camera's own threshold which walk would narrow it."""
        draft = self._model.draft.detection
        if draft.sensitivity is None:
            self._band.setToolTip(self._people.telling_walk(draft.notch, dark=False))

    def _chosen(self) -> Occurrence | None:
        ids = self._model.selected or tuple(o.id for o in self._model.evidence.occurrences[:1])
        return self._model.occurrence(ids[0]) if ids else None

    def _draw_curve(self) -> None:
        plot = self.curve
        plot.clear()
        occurrence = self._chosen()
        if occurrence is None:
            self.curve_title.setText("Import clips in Evidence to see the size of their motion here")
            return
        evidence, comparison = self._model.evidence, self._model.comparison
        index = evidence.clip_index[occurrence.clip_id]
        clip = evidence.clips[index]
        span = slice(int(evidence.stack.clip_start[index]), int(evidence.stack.clip_start[index + 1]))
        times = np.asarray(evidence.stack.times[index])
        whole = evidence.stack.cells * CELL_SIZE
        for done, name, style, width in (
            (comparison.installed_replay, "muted", Qt.PenStyle.DashLine, 1.2),
            (comparison.draft_replay, "accent", Qt.PenStyle.SolidLine, 2.0),
        ):
            percent = 100 * done.motion.sizes[span] / whole
            plot.plot(times, percent, pen=pg.mkPen(THEME.colour(name), width=width, style=style))
            plot.addItem(
                UprightLine(
                    100 * done.motion.needed / whole,
                    angle=0,
                    pen=pg.mkPen(THEME.colour(name), width=width, style=style),
                )
            )
        top = (
            100
            * max(
                comparison.draft_replay.motion.sizes[span].max(initial=1), comparison.draft_replay.motion.needed * 1.5
            )
            / whole
        )
        for recording in comparison.draft_replay.recordings[index]:
            region = pg.LinearRegionItem(
                (recording.start_s - clip.start_s, min(recording.end_s - clip.start_s, times[-1])),
                movable=False, brush=THEME.colour("accent", 34), pen=pg.mkPen(None),
            )  # fmt: skip
            plot.addItem(region)
            plot.addItem(UprightLine(recording.trigger_s - clip.start_s, pen=pg.mkPen(THEME.colour("accent"), width=1)))
        for edge in (occurrence.start_s, occurrence.end_s):
            plot.addItem(UprightLine(edge, pen=pg.mkPen(THEME.colour("muted"), style=Qt.PenStyle.DotLine)))
        plot.setYRange(0, top * 1.08)
        plot.setXRange(max(0.0, occurrence.start_s - 8), min(float(times[-1]), occurrence.end_s + 15), padding=0.02)
        outcome = comparison.draft_replay.outcomes[occurrence.id]
        when = self._session.local_time(clip.start_s + occurrence.start_s)
        what = kind_of(occurrence.kind).text if occurrence.kind else "not judged"
        there = f"recorded, but {outcome.kept_reason}" if outcome.kept_gate is not None else "recorded"
        if outcome.gate is not None:
            what_then = "not marked, but on the store" if outcome.recorded else "missed"
            there = f"{what_then}, at the gate '{outcome.gate}': {outcome.reason}"
        self.curve_title.setText(
            f"{when:%a %d %b %Y %H:%M:%S}, {what}. Draft (solid, shaded where it records): {there}. Installed dashed."
        )

    def _draw_strip(self) -> None:
        plot = self.strip
        plot.clear()
        evidence, comparison = self._model.evidence, self._model.comparison
        whole = evidence.stack.cells * CELL_SIZE
        groups: dict[Verdict | None, list[tuple[float, float, int, bool]]] = {}
        for number, occurrence in enumerate(evidence.occurrences):
            peak = comparison.draft_replay.largest[0][number]
            verdict = occurrence.verdict if occurrence.verdict is not Verdict.UNSURE else None
            lane = _LANES[verdict] + 0.3 * (((number * 37) % 11) / 10 - 0.5) * 2
            recorded = comparison.draft_replay.marks(occurrence.id)
            groups.setdefault(verdict, []).append((max(100 * peak / whole, LEAST_SHOWN), lane, occurrence.id, recorded))
        chosen = set(self._model.selected)
        for judged, points in groups.items():
            name, symbol = _SIGNS.get(judged, ("unjudged", "o"))
            colour = THEME.colour(name)
            item = pg.ScatterPlotItem(hoverable=True, tip=None)
            # Points with the same pen and brush share one symbol: each of thousands would else be drawn by itself.
            pens = [pg.mkPen(THEME.colour("ink") if is_chosen else colour, width=1.6) for is_chosen in (False, True)]
            brushes = [pg.mkBrush(None), pg.mkBrush(colour if judged is not None else None)]
            item.setData(
                x=np.log10([x for x, *_ in points]),
                y=[y for _, y, *_ in points],
                data=[number for *_, number, _ in points],
                symbol=symbol,
                size=[13 if number in chosen else 9 for *_, number, _ in points],
                pen=[pens[number in chosen] for *_, number, _ in points],
                brush=[brushes[recorded] for *_, recorded in points],
            )
            item.sigClicked.connect(self.choose_point)
            plot.addItem(item)
        for done, name, style in (
            (comparison.installed_replay, "muted", Qt.PenStyle.DashLine),
            (comparison.draft_replay, "accent", Qt.PenStyle.SolidLine),
        ):
            at = float(np.log10(100 * (done.motion.needed - 0.5) / whole))
            plot.addItem(UprightLine(at, pen=pg.mkPen(THEME.colour(name), width=2, style=style)))
        scale = next((s for s in self._model.scales if s.label == self._model.draft.detection.notch), None)
        if scale is not None and self._model.draft.detection.sensitivity is None:
            needed = 100 * comparison.draft_replay.motion.needed / whole / scale.factor
            ends = (float(np.log10(needed * scale.low)), float(np.log10(needed * scale.high)))
            plot.addItem(pg.LinearRegionItem(ends, movable=False, brush=THEME.colour("accent", 26), pen=pg.mkPen(None)))
        plot.setYRange(-0.5, 2.5)
        shown = [x for points in groups.values() for x, *_ in points]
        plot.setXRange(np.log10(LEAST_SHOWN * 0.8), np.log10(max(40.0, 1.1 * max(shown, default=0.0))))

    def choose_point(self, _item: object, points: object, *_: object) -> None:
        for point in points:  # type: ignore[attr-defined]
            self._model.select((int(point.data()),))
            return
