"""The program, which also writes down where on the screen its words are; a simulated week is one day.

Arguments: the file to write to, then those of the program. The file is JSON: the words of visible labels, buttons and
tabs, and the names of fields in brackets, each with the middle of its place on the screen.
"""

import json
import os
import sys
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QLineEdit, QTabBar, QWidget

from guardia.app.project import bench_week, intake
from guardia.cli import main
from guardia.ui.shell import run

EVERY_MS = 250


def places() -> dict[str, tuple[int, int]]:
    """Where the words of the window in front are."""
    front = QApplication.activeModalWidget() or QApplication.activeWindow()
    seen: dict[str, tuple[int, int]] = {}
    for widget in front.findChildren(QWidget) if front is not None else ():
        if not widget.isVisible() or widget.visibleRegion().isEmpty():
            continue
        if isinstance(widget, QTabBar):
            for n in range(widget.count()):
                at = widget.mapToGlobal(widget.tabRect(n).center())
                seen[widget.tabText(n)] = (at.x(), at.y())
        elif isinstance(widget, QLabel | QAbstractButton) and widget.text():
            at = widget.mapToGlobal(widget.visibleRegion().boundingRect().center())
            enabled = "" if widget.isEnabled() else "(disabled) "
            seen[f"{enabled}{widget.text().replace('&', '')}"] = (at.x(), at.y())
        elif isinstance(widget, QLineEdit) and widget.accessibleName():
            at = widget.mapToGlobal(widget.rect().center())
            seen[f"[{widget.accessibleName()}]"] = (at.x(), at.y())
    return seen


def watch(target: Path) -> None:
    """Write down what is on the screen, again and again."""
    usual = run.install_hooks

    def install(window: QWidget) -> None:
        usual(window)
        timer = QTimer(window)
        timer.timeout.connect(lambda: write(target))
        timer.start(EVERY_MS)

    run.install_hooks = install


def write(target: Path) -> None:
    part = target.with_suffix(".part")
    part.write_text(json.dumps(places()), "utf-8")
    os.replace(part, target)


if __name__ == "__main__":
    intake.run_week = partial(bench_week.run_week, days=1)
    watch(Path(sys.argv[1]))
    sys.exit(main(sys.argv[2:]))
