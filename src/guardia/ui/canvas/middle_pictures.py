"""Of each occurrence one picture, with the box of what moved."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable

from PyQt6.QtCore import QModelIndex, QPoint, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.evidence.clips import Occurrence
from guardia.ui.parts.theme import THEME

_KEPT_PICTURES = 1500

PICTURE = QSize(96, 54)
"""Size of a picture in a table."""


class MiddlePictures:
    """The middle key picture of each occurrence, with the box of what moved.

    Args:
        session: The open project.
        find: Gives the camera and the occurrence of a number.
    """

    def __init__(self, session: Session, find: Callable[[int], tuple[CameraModel, Occurrence]]) -> None:
        self._session = session
        self._find = find
        self._kept: OrderedDict[int, tuple[QPixmap, tuple[float, float, float, float] | None]] = OrderedDict()

    def of(self, occurrence_id: int) -> tuple[QPixmap, tuple[float, float, float, float] | None]:
        """Picture (null if there is none) and box in shares of it."""
        if occurrence_id in self._kept:
            self._kept.move_to_end(occurrence_id)
            return self._kept[occurrence_id]
        camera, occurrence = self._find(occurrence_id)
        times = camera.pictures.key_times(occurrence_id)
        strip = QPixmap()
        box = None
        if strip.loadFromData(camera.pictures.strip(occurrence_id)) and times:
            middle, width = len(times) // 2, strip.width() // len(times)
            strip = strip.copy(middle * width, 0, width, strip.height())
            evidence = camera.evidence
            clip = evidence.clip_index[occurrence.clip_id]
            contrast = camera.comparison.installed_replay.motion.contrast_in(evidence.clips[clip])
            box = evidence.stack.box_at(clip, times[middle], contrast=contrast)
        if not strip.isNull():
            self._kept[occurrence_id] = (strip, box)
            if len(self._kept) > _KEPT_PICTURES:
                self._kept.popitem(last=False)
        return strip, box

    def draw(self, painter: QPainter, area: QRect, occurrence_id: int) -> None:
        """Draw it, the moving thing outlined."""
        picture, box = self.of(occurrence_id)
        if picture.isNull():
            painter.fillRect(area, THEME.colour("raised"))
            painter.setPen(THEME.colour("muted"))
            coming = self._session.key_pictures.want(occurrence_id)
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "coming" if coming else "no picture")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawPixmap(area, picture)
        if box is not None:
            frame = QRectF(
                area.left() + box[0] * area.width(),
                area.top() + box[1] * area.height(),
                (box[2] - box[0]) * area.width(),
                (box[3] - box[1]) * area.height(),
            ).intersected(QRectF(area).adjusted(1, 1, -1, -1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for colour, width in (("surface", 3.0), ("ink", 1.4)):
                painter.setPen(QPen(THEME.colour(colour), width))
                painter.drawRect(frame)


class PictureDelegate(QStyledItemDelegate):
    """A column of key pictures, each with words beside it.

    Args:
        table: The table.
        session: The open project, which draws what is lacking.
        pictures: Where the pictures come from.
        find: Gives the number of the occurrence of a row; None for none.
    """

    def __init__(
        self, table: QTableWidget, session: Session, pictures: MiddlePictures, find: Callable[[int], int | None]
    ) -> None:
        super().__init__(table)
        self._table, self._pictures, self._find = table, pictures, find
        session.key_pictures.drawn.connect(self._show_drawn)

    def _show_drawn(self) -> None:
        if (shown := self._table.viewport()) is not None:
            shown.update()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Room for the picture and the words beside it."""
        words = super().sizeHint(option, index)
        return QSize(PICTURE.width() + 12 + words.width(), max(words.height(), PICTURE.height() + 6))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw both."""
        if painter is None:
            return
        painter.save()
        area = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, THEME.colour("accent_soft"))
        if (occurrence_id := self._find(index.row())) is not None:
            self._pictures.draw(painter, QRect(area.topLeft() + QPoint(3, 3), PICTURE), occurrence_id)
        painter.setPen(THEME.colour("ink"))
        words = area.adjusted(PICTURE.width() + 10, 0, 0, 0)
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, str(index.data()))
        painter.restore()
