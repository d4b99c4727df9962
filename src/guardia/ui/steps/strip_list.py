"""The list of occurrences as strips of key pictures, each with what it is and what becomes of it."""

from __future__ import annotations

from collections import OrderedDict

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.occurrences import TAKE_BACK
from guardia.app.project.key_pictures import KeyPictures
from guardia.app.steps.occurrence_list import Role
from guardia.core.evidence.clips import Occurrence
from guardia.core.purpose.judgement import KIND_OF_KEY, Verdict, kind_of
from guardia.core.replay.gate import Stage
from guardia.core.replay.gates import Outcome
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import draw_mark, verdict_colour

_STRIP_HEIGHT = 92
_TEXT_WIDTH = 196
_KEPT_STRIPS = 400


class StripDelegate(QStyledItemDelegate):
    """Draws one occurrence: when, what, its outcome, and its key pictures with the moving thing outlined."""

    def __init__(self, model: CameraModel, drawing: KeyPictures, parent: QWidget) -> None:
        super().__init__(parent)
        self._model, self._drawing = model, drawing
        self._strips: OrderedDict[int, tuple[QPixmap, list[tuple[float, float, float, float] | None]]] = OrderedDict()

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        """Every row has the same height."""
        return QSize(300, THEME.px(_STRIP_HEIGHT) + 12)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a row."""
        if painter is None:
            return
        occurrence: Occurrence = index.data(Role.OCCURRENCE)
        painter.save()
        area = option.rect
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(area, THEME.colour("accent_soft" if selected else "surface"))
        painter.setPen(THEME.colour("line"))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        bar = verdict_colour(occurrence.verdict)
        painter.fillRect(QRect(area.left(), area.top() + 1, 4, area.height() - 2), bar)
        self._words(painter, area, index, occurrence)
        words_px = THEME.px(_TEXT_WIDTH)
        room = area.width() - words_px - 8
        pictures = QRect(area.left() + words_px, area.top() + 6, room, THEME.px(_STRIP_HEIGHT))
        self._pictures(painter, pictures, occurrence)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(THEME.colour("accent"), 2))
            painter.drawRect(area.adjusted(1, 1, -2, -2))
        painter.restore()

    def _words(self, painter: QPainter, area: QRect, index: QModelIndex, occurrence: Occurrence) -> None:
        left, top = area.left() + 14, area.top() + 6
        installed: Outcome = index.data(Role.INSTALLED)
        draft: Outcome = index.data(Role.DRAFT)
        bold = QFont(painter.font())
        bold.setWeight(QFont.Weight.DemiBold)
        plain = QFont(painter.font())
        painter.setPen(THEME.colour("ink"))
        painter.setFont(bold)
        painter.drawText(left, top + THEME.px(13), str(index.data()))
        painter.setFont(plain)
        draw_mark(painter, occurrence.verdict, QPointF(left + 6, top + THEME.px(30)), 10, recorded=draft.marked)
        painter.setPen(verdict_colour(occurrence.verdict))
        painter.drawText(
            left + 18, top + THEME.px(35), kind_of(occurrence.kind).text if occurrence.kind else "not judged yet"
        )
        small = QFont(plain)
        small.setPointSizeF(THEME.points(8.5))
        painter.setFont(small)
        painter.setPen(THEME.colour("muted"))
        clip = index.data(Role.CLIP)
        again = ", shown twice" if index.data(Role.REPEATED) else ", part of a visit" if occurrence.visit else ""
        event = self._model.evidence.event_of.get(occurrence.id)
        named = f", camera: {event.named}" if event and event.named else ""
        length = f"{occurrence.end_s - occurrence.start_s:.1f} s"
        painter.drawText(left, top + THEME.px(54), f"{clip.origin.value}, {length}{named}{again}")
        mine = clip.by_motion and self._model.evidence.in_force(clip) == self._model.camera.installed
        words = _outcome_words(installed, occurrence.verdict, recorded_by_it=mine)
        painter.drawText(left, top + THEME.px(71), f"installed: {words}")
        if _differ(installed, draft):
            painter.setPen(THEME.colour("accent" if _better(occurrence, draft) else "missed"))
            small.setWeight(QFont.Weight.DemiBold)
            painter.setFont(small)
        painter.drawText(left, top + THEME.px(87), f"draft: {_outcome_words(draft, occurrence.verdict)}")

    def _pictures(self, painter: QPainter, area: QRect, occurrence: Occurrence) -> None:
        strip, boxes = self._strip(occurrence)
        if strip.isNull():
            painter.setPen(THEME.colour("muted"))
            words = "drawing the pictures" if self._drawing.want(occurrence.id) else "no pictures"
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, words)
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        single = strip.width() / len(boxes)
        width = area.height() * single / strip.height()
        shown = max(1, min(len(boxes), int((area.width() + 4) // (width + 4))))
        chosen = (
            [round(i * (len(boxes) - 1) / max(1, shown - 1)) for i in range(shown)] if shown > 1 else [len(boxes) // 2]
        )
        for place, number in enumerate(chosen):
            target = QRectF(area.left() + place * (width + 4), area.top(), width, area.height())
            painter.drawPixmap(target, strip, QRectF(number * single, 0, single, strip.height()))
            box = boxes[number]
            if box is not None:
                colour = verdict_colour(occurrence.verdict)
                painter.setPen(QPen(THEME.colour("surface"), 3.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                frame = QRectF(
                    target.left() + box[0] * width,
                    target.top() + box[1] * target.height(),
                    (box[2] - box[0]) * width,
                    (box[3] - box[1]) * target.height(),
                ).intersected(target.adjusted(1, 1, -1, -1))
                painter.drawRect(frame)
                painter.setPen(QPen(colour, 1.8))
                painter.drawRect(frame)

    def _strip(self, occurrence: Occurrence) -> tuple[QPixmap, list[tuple[float, float, float, float] | None]]:
        if occurrence.id in self._strips:
            self._strips.move_to_end(occurrence.id)
            return self._strips[occurrence.id]
        pixmap = QPixmap()
        pixmap.loadFromData(self._model.pictures.strip(occurrence.id))
        evidence = self._model.evidence
        clip = evidence.clip_index[occurrence.clip_id]
        contrast = self._model.comparison.installed_replay.motion.contrast_in(evidence.clips[clip])
        boxes = [
            evidence.stack.box_at(clip, t, contrast=contrast) for t in self._model.pictures.key_times(occurrence.id)
        ]
        shown = pixmap, boxes or [None]
        if not pixmap.isNull():
            self._strips[occurrence.id] = shown
            if len(self._strips) > _KEPT_STRIPS:
                self._strips.popitem(last=False)
        return shown


def _outcome_words(outcome: Outcome, verdict: Verdict | None, *, recorded_by_it: bool = False) -> str:
    """The outcome in a few words; where the camera did record what the model says it would not, both are told."""
    if recorded_by_it and outcome.gate is not None:
        return f"recorded (model: {outcome.gate})"
    if outcome.gate is not None:
        what = "not marked" if outcome.recorded else "silent" if verdict is Verdict.FALSE else "missed"
        return f"{what}, {outcome.gate}"
    how = " late" if outcome.late else ""
    how += " cut" if outcome.cut else ""
    if outcome.kept_gate is not None:
        return f"recorded{how}, not there: {outcome.kept_gate}"
    return f"recorded{how}, no alert: {outcome.alert_gate}" if outcome.alert_gate is not None else f"recorded{how}"


def _differ(installed: Outcome, draft: Outcome) -> bool:
    return installed.marked != draft.marked or installed.passed(Stage.ALERTED) != draft.passed(Stage.ALERTED)


def _better(occurrence: Occurrence, draft: Outcome) -> bool:
    return (draft.marked and draft.passed(Stage.ALERTED)) == (occurrence.verdict is Verdict.REAL)


class StripList(QListView):
    """The list; one key judges what is selected."""

    judged = pyqtSignal(str)
    """A letter named a kind, or Backspace takes back."""
    looked = pyqtSignal()
    """What is selected is to be played."""
    left = pyqtSignal()
    """Everything is to be shown again."""

    def __init__(self) -> None:
        super().__init__()
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Occurrences")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Judge with a letter, take back with Backspace, play with Space or Enter, leave a filter with Esc."""
        if event is None:
            return
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if plain and event.text().upper() in KIND_OF_KEY:
            self.judged.emit(KIND_OF_KEY[event.text().upper()])
        elif plain and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.looked.emit()
        elif plain and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        elif plain and event.key() == Qt.Key.Key_Backspace:
            self.judged.emit(TAKE_BACK)
        else:
            super().keyPressEvent(event)

    def keyboardSearch(self, search: str | None) -> None:
        """Letters judge; they do not search."""
