"""What can be found by a few letters: actions, settings, cameras, parts of the guide."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import partial

from PyQt6.QtGui import QAction

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.actions import ACTIONS
from guardia.app.steps.guide import guide
from guardia.app.steps.steps import BY_ID
from guardia.core.make.levers import LEVERS
from guardia.ui.shell.palette import Entry

PAGE_OF_PART = {
    "detection": "sensitivity", "recording": "sensitivity", "hours": "hours", "alerts": "hours", "storage": "storage",
}  # fmt: skip
"""The step at which the values of each part of the settings are set."""

PAGE_OF_SETTING = {"zones": "zones"}
"""Where one of them is set on a page of its own."""


def of_actions(actions: Mapping[str, QAction]) -> list[Entry]:
    """The actions that can be used now, pages among them."""
    usable = [(actions[entry.id], entry) for entry in ACTIONS if actions[entry.id].isEnabled()]
    return [
        Entry(action.iconText(), entry.help, action.trigger, action.shortcut().toString())
        for action, entry in usable
        if entry.id != "palette"
    ]


def of_cameras(session: Session, open_camera: Callable[[int], object], model: CameraModel | None) -> list[Entry]:
    """The cameras of a site that are not the one that is open."""
    here = None if model is None else model.camera.id
    names = [(i, session.camera_name(i)) for i in session.camera_ids() if i != here]
    return [Entry(name, "Open this camera.", partial(open_camera, i)) for i, name in names]


def of_settings(model: CameraModel, go: Callable[[str], object]) -> list[Entry]:
    """The settings that a camera has, each on the page where it is set."""
    found = []
    for lever in LEVERS:
        page = PAGE_OF_SETTING.get(lever.id) or PAGE_OF_PART.get(lever.part, "")
        if page and lever.is_asked(model.camera.capability):
            now = lever.words(model.camera.installed, model.camera.capability)
            hint = f"Set in {BY_ID[page].text}; installed: {now if len(now) <= 60 else now[:58] + ' …'}"
            found.append(Entry(lever.subject, hint, partial(go, page)))
    return found


def of_guide(open_part: Callable[[str], object]) -> list[Entry]:
    """The parts of the guide, found by any word of them."""
    return [Entry(part.title, "In the guide.", partial(open_part, part.id), more=part.text) for part in guide()]
