"""The one table of actions: id, menu, text, keys, whether a camera is needed, help."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Action:
    """One thing the person can do.

    Parameters
    ----------
    id
        Stable word.
    menu
        Menu it stands in.
    text
        Words on screen.
    keys
        Shortcut, empty for none.
    needs_camera
        Only enabled with a camera open.
    help
        One sentence.
    """

    id: str
    menu: str
    text: str
    keys: str
    needs_camera: bool
    help: str


STEPS = (
    ("round", "Round", "all cameras, worst first"),
    ("evidence", "Evidence", "judge what was recorded"),
    ("zones", "Zones", "where motion counts"),
    ("sensitivity", "Sensitivity", "how much and how long"),
    ("handover", "Hand over", "sheet and logbook"),
)
"""Id, words and hint of each step of the work."""

ACTIONS = (
    Action("new", "Project", "New project…", "Ctrl+N", False, "Make a project for a site in a folder of your choice."),
    Action("open", "Project", "Open project…", "Ctrl+O", False, "Open a project's folder."),
    Action(
        "demo", "Project", "Open the demo site", "", False, "Open your own copy of the invented boatyard Tern Quay."
    ),
    Action("quit", "Project", "Quit", "Ctrl+Q", False, "Close the window; everything is already saved."),
    Action(
        "add_camera", "Camera", "Add camera…", "Ctrl+Shift+N", False, "Add a camera of a generic make to this project."
    ),
    Action(
        "import_files", "Camera", "Import clips…", "Ctrl+I", True, "Bring in video files that this camera recorded."
    ),
    Action("import_folder", "Camera", "Import folder…", "Ctrl+Shift+I", True, "Bring in all video files of a folder."),
    Action(
        "clip_start",
        "Camera",
        "Give start of clip…",
        "Ctrl+T",
        True,
        "Enter when the selected occurrence's clip really began, in the site's time; can be undone.",
    ),
    Action(
        "reset_draft",
        "Camera",
        "Set draft back to installed",
        "",
        True,
        "Make the draft equal to the installed settings; can be undone.",
    ),
    Action("undo", "Edit", "Undo", "Ctrl+Z", False, "Take back the last judgement or change of the draft."),
    Action("redo", "Edit", "Redo", "Ctrl+Shift+Z", False, "Do again what was taken back."),
    Action("go_round", "Go", "Round", "Ctrl+1", False, "All cameras, worst first, each with its next action."),
    Action("go_evidence", "Go", "Evidence", "Ctrl+2", True, "Judge what was recorded."),
    Action("go_zones", "Go", "Zones", "Ctrl+3", True, "Draw where motion counts and where it is ignored."),
    Action("go_sensitivity", "Go", "Sensitivity", "Ctrl+4", True, "Set how much motion triggers and for how long."),
    Action("go_handover", "Go", "Hand over", "Ctrl+5", True, "Save the settings sheet and log what was entered."),
    Action("history", "Edit", "History…", "Ctrl+H", False, "See every change of this sitting and go back to any."),
    Action("palette", "Go", "Find an action…", "Ctrl+K", False, "Type a few letters of what you want to do."),
    Action("dark", "View", "Dark colours", "Ctrl+D", False, "Change between light and dark colours."),
    Action("keys", "Help", "Keys", "F1", False, "Show every shortcut."),
    Action("about", "Help", "About Guardia", "", False, "Version, licence and cautions."),
)
