"""A small window from which paths can be dragged, as from a file manager; it stands at the left lower corner.

Arguments: the height of the screen, then the paths.
"""

import sys
from pathlib import Path

from PyQt6.QtCore import QMimeData, Qt, QUrl
from PyQt6.QtGui import QDrag, QMouseEvent
from PyQt6.QtWidgets import QApplication, QLabel

SIZE = 60


class Source(QLabel):
    """Begins the drag when it is pressed."""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        del event
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(Path(path).resolve())) for path in sys.argv[2:]])
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.CopyAction)


if __name__ == "__main__":
    app = QApplication(sys.argv[:1])
    source = Source("clips")
    source.setWindowFlags(Qt.WindowType.BypassWindowManagerHint | Qt.WindowType.WindowStaysOnTopHint)
    source.setGeometry(0, int(sys.argv[1]) - SIZE, SIZE, SIZE)
    source.show()
    sys.exit(app.exec())
