"""Bars of the window: how soon it is usable, and what ten thousand clips cost. Measured in a process of their own."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any

from guardia.app.camera.makes import capability_data
from guardia.app.project.demo import own_demo
from guardia.core.evidence.clips import NewOccurrence, Origin
from guardia.core.make.settings import Settings
from guardia.store.project import Project
from guardia.store.records import NewClip, Site

CLIPS = 10_000

_WINDOW = """
import json, resource, sys, time
from pathlib import Path
from PyQt6.QtCore import QTimer
from guardia.ui.shell.run import make_application
from guardia.ui.shell.main_window import MainWindow
app = make_application()
window = MainWindow(Path(sys.argv[1]).parent)
window.show()
begun = time.perf_counter()
assert window.open_project(Path(sys.argv[1]))
window.grab()
opened = time.perf_counter() - begun
told = {"opened_s": opened, "usable_s": time.process_time()}
def look():
    if not all(window.session.is_loaded(i) for i in window.session.camera_ids()):
        return
    told["loaded_s"] = time.perf_counter() - begun
    told["rss_mb"] = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    timer.stop()
    window.close()
    app.quit()
timer = QTimer()
timer.timeout.connect(look)
timer.start(10)
app.exec()
print(json.dumps(told))
"""

_DRAG = """
import json, statistics, sys, time
from dataclasses import replace
from pathlib import Path
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.ui.shell.run import make_application
from guardia.ui.shell.main_window import MainWindow
app = make_application()
window = MainWindow(Path(sys.argv[1]).parent)
window.show()
window.open_project(Path(sys.argv[1]))
model = window.session.camera(window.session.camera_ids()[0])
window.open_camera(model.camera.id, "zones")
window.grab()
taken = []
for step in range(61):
    corners = ((0.2, 0.2), (0.75 + step * 0.002, 0.25), (0.8, 0.9), (0.2, 0.9))
    before = model.comparison
    begun = time.perf_counter()
    model.preview(model.draft.with_values(zones=(PolygonZone(ZoneKind.WATCH, corners),)))
    taken.append((model.comparison is not before, time.perf_counter() - begun))
print(json.dumps([statistics.median(s for _, s in taken), statistics.median(s for new, s in taken if new)]))
window.close()
"""

_PAGES = """
import json, sys, time
from pathlib import Path
from guardia.app.steps.steps import STEPS
from guardia.ui.shell.run import make_application
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.step_pages import PAGES, load_ahead
app = make_application()
window = MainWindow(Path(sys.argv[1]).parent)
window.show()
window.open_project(Path(sys.argv[1]))
window.open_camera(window.session.camera_ids()[0], "evidence")
window.grab()
load_ahead(window)  # as the program does while nobody asks for anything
modules = {f"guardia.ui.steps.{step}_page" for step in PAGES}
while not modules <= {*sys.modules}:
    app.processEvents()
taken = {}
for turn in ("first", "again"):
    for step in STEPS:
        begun = time.perf_counter()
        window.go(step.id)
        window.grab()
        taken[step.id + " " + turn] = time.perf_counter() - begun
        looked = time.perf_counter() + 0.3  # as somebody does before the next page; other threads begin their work
        while time.perf_counter() < looked:
            app.processEvents()
window.close()
print(json.dumps(taken))
"""

_BARE = """
import sys, time
from PyQt6.QtWidgets import QApplication, QMainWindow
import av, numpy, PIL.Image, pydantic, shapely
app = QApplication([])
window = QMainWindow()
window.show()
window.grab()
print(time.process_time())
"""


def start_of_the_demo(home: Path) -> tuple[float, float, float]:
    """Seconds of processor time to the demo window being usable, and to a bare window with the same libraries.

    Args:
        home: A folder for the demo and for compiled code.

    Returns:
        Both, and the seconds that pass then until the evidence of every camera is read behind the window.
    """
    project = own_demo(home)
    kept = _compiled_in(home)
    _child(_WINDOW, project, kept)  # the first start compiles what an installation brings compiled
    told = _child(_WINDOW, project, kept)
    bare = float(_child(_BARE, project, kept))
    return float(told["usable_s"]), bare, float(told["loaded_s"] - told["opened_s"])


def _compiled_in(home: Path) -> dict[str, str]:
    """What makes a child keep its compiled code in a folder."""
    return {"PYTHONPYCACHEPREFIX": str(home / "compiled"), "PYTHONDONTWRITEBYTECODE": ""}


def big_project(folder: Path) -> dict[str, float]:
    """Open a project of CLIPS clips: seconds until the window is back, until all is loaded, and the memory needed."""
    make_big_project(folder, CLIPS)
    return {k: float(v) for k, v in _child(_WINDOW, folder).items()}


def drag_of_a_corner(folder: Path) -> tuple[float, float]:
    """Median seconds of a step of a drag with 1,000 clips: of all steps of 1.5 pixels, and of those into new cells."""
    make_big_project(folder, 1000)
    every, new = _child(_DRAG, folder)
    return float(every), float(new)


def pages_shown(folder: Path) -> dict[str, float]:
    """Seconds of the interface thread until each page of 3,000 clips is drawn, by step: the first time, and again.

    With compiled code, as an installation has it, and once the program has loaded its pages ahead.
    """
    make_big_project(folder, 3000)
    kept = _compiled_in(folder.parent)
    _child(_PAGES, folder, kept)
    return {step: float(seconds) for step, seconds in _child(_PAGES, folder, kept).items()}


def make_big_project(folder: Path, clips: int) -> None:
    """A project with many clips, made of the demo's traces over and over, of all its cameras; their files are empty."""
    with Project(own_demo(folder.parent)) as demo:
        clips_of = (demo.clips.of(camera.id, analysed=True) for camera in demo.cameras.all())
        traces = [demo.measurements.trace(c.id) for of in clips_of for c in of if c.origin is Origin.MOTION]
    file = folder.parent / "empty.mp4"
    with Project(folder, create=True, site=Site("Many clips", "Europe/London")) as project:
        settings = Settings.of("polygon-mains-camera", "9", rest_s=5.0)
        camera = project.cameras.add("Gate", capability_data(settings.capability), settings)
        with project.together():
            for number in range(clips):
                file.write_bytes(str(number).encode())
                new = NewClip(file, 1.757e9 + 300 * number, "file name", 15.0, 640, 360, "h264", Origin.MOTION)
                clip = project.clips.add(camera, new)
                if clip is not None:
                    occurrence = NewOccurrence(1.0, 11.0, [1.0], b"")
                    project.measurements.put_analysis(
                        clip, traces[number % len(traces)], [occurrence], background=b"", brightness=90.0
                    )
        kinds = ("person", "foliage", "animal")
        project.occurrences.judge({o.id: kinds[n % 3] for n, o in enumerate(project.evidence(camera).occurrences)})


def _child(program: str, project: Path, settings: Mapping[str, str] = MappingProxyType({})) -> Any:
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen", **settings}
    command = [sys.executable, "-c", program, str(project)]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=300, check=True)
    return json.loads(done.stdout)
