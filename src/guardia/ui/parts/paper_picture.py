"""Pages of a PDF as pictures."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QSize
from PyQt6.QtGui import QGuiApplication, QPixmap
from PyQt6.QtPdf import QPdfDocument


def first_page(content: bytes, width_px: int) -> QPixmap:
    """The first page of a PDF.

    Args:
        content: The PDF.
        width_px: Width of the picture on screen, pixels.

    Returns:
        The picture, as sharp as the screen is.
    """
    device = QBuffer()
    device.setData(QByteArray(content))
    device.open(QIODevice.OpenModeFlag.ReadOnly)
    document = QPdfDocument(None)
    document.load(device)
    points, screen = document.pagePointSize(0), QGuiApplication.primaryScreen()
    ratio = screen.devicePixelRatio() if screen is not None else 1.0
    width = round(width_px * ratio)
    size = QSize(width, round(width * points.height() / max(1.0, points.width())))
    picture = QPixmap.fromImage(document.render(0, size))
    picture.setDevicePixelRatio(ratio)
    return picture
