"""A paper as it will be printed, in the print dialog of the desktop."""

from __future__ import annotations

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter, QPrintPreviewDialog
from PyQt6.QtWidgets import QWidget

from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError, ProjectError

DOTS_PER_INCH = 200
"""Pages are drawn this finely: letters are sharp, and a page takes 15 MB while it is drawn."""


class PrintPreview(QPrintPreviewDialog):
    """Shows a PDF page by page and prints it on a printer of this machine.

    Args:
        parent: The window.
        content: The PDF.
        title: Of the print job.

    Raises:
        ProjectError: If the PDF cannot be drawn.
    """

    def __init__(self, parent: QWidget, content: bytes, title: str) -> None:
        self._device = QBuffer()
        self._device.setData(QByteArray(content))
        self._device.open(QIODevice.OpenModeFlag.ReadOnly)
        self._pdf = QPdfDocument(None)
        self._pdf.load(self._device)
        if self._pdf.status() is not QPdfDocument.Status.Ready:
            raise ProjectError("The paper cannot be drawn for printing.", do="Save it as PDF and print that.")
        self.printer_ = QPrinter(QPrinter.PrinterMode.HighResolution)
        self.printer_.setDocName(title)
        self.printer_.setResolution(DOTS_PER_INCH)
        self.printer_.setFullPage(True)  # the paper has margins of its own
        super().__init__(self.printer_, parent)
        self.setWindowTitle(title)
        self.resize(960, 760)
        self.paintRequested.connect(self._paint)

    @property
    def page_count(self) -> int:
        """How many pages the paper has."""
        return self._pdf.pageCount()

    def _paint(self, printer: QPrinter) -> None:
        """Draw every page as large as the paper lets it be, in its own shape."""
        painter = QPainter(printer)
        room = printer.paperRect(QPrinter.Unit.DevicePixel)
        for number in range(self.page_count):
            if number:
                printer.newPage()
            points = self._pdf.pagePointSize(number)
            scale = min(room.width() / points.width(), room.height() / points.height())
            size = QSize(round(points.width() * scale), round(points.height() * scale))
            place = QRectF((room.width() - size.width()) / 2, 0, size.width(), size.height())
            painter.drawImage(place, self._pdf.render(number, size))
        painter.end()


def preview(parent: QWidget, messages: MessageHub, content: bytes, title: str) -> None:
    """Open the preview of a paper; what stands in its way is told."""
    try:
        PrintPreview(parent, content, title).open()
    except GuardiaError as error:
        messages.tell_error(error)
