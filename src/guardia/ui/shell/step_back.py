"""Undo and redo in the window: what is taken back is seen, and the logbook of one camera is not undone from another."""

from __future__ import annotations

from typing import Protocol

from guardia.app.project.session import Session
from guardia.app.steps.steps import STEPS
from guardia.app.work.messages import MessageHub

OF_ONE_CAMERA = tuple(step.id for step in STEPS if not step.all_cameras)
SHOWS_ALL = "alike"
"""What was judged of any camera is on screen there."""


class Shows(Protocol):
    """A window that shows a camera at a step."""

    session: Session | None
    camera_id: int | None
    messages: MessageHub

    def current_step(self) -> str:
        """The step that is shown."""

    def open_camera(self, camera_id: int, step: str) -> None:
        """Open a camera at a step."""


def step_back(window: Shows, *, back: bool) -> None:
    """Take the last change back, or bring it again; of another camera than the one on screen, go there first.

    What stands in a camera's logbook is undone only when that camera was on screen already.
    """
    session, current = window.session, window.current_step()
    step = session.undoing.next(back=back) if session is not None else None
    if session is None or step is None:
        return
    camera_id = step.of.camera_id
    here = current in OF_ONE_CAMERA and camera_id == window.camera_id
    on_screen = here or (current == SHOWS_ALL and not step.record)
    if camera_id is not None and camera_id in session.camera_ids() and not on_screen:
        window.open_camera(
            camera_id, "handover" if step.record else current if current in OF_ONE_CAMERA else "evidence"
        )
        if step.record:
            verb, key = ("undone", "Ctrl+Z") if back else ("done again", "Ctrl+Shift+Z")
            window.messages.tell(f"{step.of.name} is shown now. Press {key} again: '{step.what}' will be {verb}.")
            return
    session.undoing.take(back=back)
