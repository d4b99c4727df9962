"""The one table of actions: id, menu, text, keys, whether a camera is needed, help."""

from __future__ import annotations

from dataclasses import dataclass

from guardia.app.steps.steps import STEPS


@dataclass(frozen=True)
class Action:
    """One thing the person can do."""

    id: str
    """Stable word."""
    menu: str
    """Menu it stands in."""
    text: str
    """Words on screen."""
    keys: str
    """Shortcut, empty for none."""
    needs_camera: bool
    """Only enabled with a camera open."""
    help: str
    """One sentence."""
    switch: bool = False
    """It is switched on and off."""


ACTIONS = (
    Action("new", "Project", "New project…", "Ctrl+N", False, "Make a project for a site in a folder of your choice."),
    Action(
        "begin_from",
        "Project",
        "New project from clips…",
        "Ctrl+Shift+O",
        False,
        "Make a project of a folder of clips, with a camera for each folder or name in it.",
    ),
    Action("open", "Project", "Open project…", "Ctrl+O", False, "Open a project's folder."),
    Action(
        "demo", "Project", "Open the demo site", "", False, "Open your own copy of the invented boatyard Tern Quay."
    ),
    Action(
        "practice",
        "Project",
        "Practice…",
        "",
        False,
        "Tune an unseen scene by hand, then see the truth and what would have been possible.",
    ),
    Action("portfolio", "Project", "Sites side by side…", "", False, "A folder of projects, worst first."),
    Action(
        "bring_in_new",
        "Project",
        "Import what is new",
        "Ctrl+Shift+I",
        False,
        "Import what came into the folders from which the cameras got their clips.",
    ),
    Action(
        "watch_folders",
        "Project",
        "Watch folders",
        "",
        False,
        "Import by itself what comes into the folders of the cameras, while the project is open.",
        switch=True,
    ),
    Action("site", "Project", "Site…", "", False, "Correct the site's name, where it lies, or its time zone."),
    Action(
        "damaged",
        "Project",
        "Damaged entries…",
        "",
        False,
        "Save what of the project cannot be read, and then delete it.",
    ),
    Action(
        "cluster",
        "Project",
        "Measure on a cluster…",
        "",
        False,
        "Say which dask scheduler measures clips; without one it is this machine.",
    ),
    Action(
        "add_camera", "Camera", "Add camera…", "Ctrl+Shift+N", False, "Add a camera of a generic make to this project."
    ),
    Action("bring_in", "Camera", "Import…", "Ctrl+I", True, "Import clips, snapshots, event lists, metadata."),
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
    Action(
        "clock",
        "Camera",
        "Clock of the camera…",
        "Ctrl+Shift+T",
        True,
        "Enter how wrong the camera's clock is; every time of its clips and events is put right.",
    ),
    Action(
        "watched",
        "Camera",
        "Watched time…",
        "",
        True,
        "Enter when this camera was up and when it was down; rates per day are based on that.",
    ),
    Action("clips", "Camera", "Clips…", "", True, "See the camera's clips; take out what does not belong there."),
    Action("make", "Camera", "Make of the camera…", "", True, "Say of which make it is; its settings are fitted."),
    Action(
        "use_others",
        "Camera",
        "Learn from my other cameras",
        "",
        True,
        "Let this camera's scale start from what your other cameras of its make showed; nothing leaves this machine.",
    ),
    Action("remove", "Camera", "Take out of the project", "", True, "Remove the camera with its clips; can be undone."),
    Action("rename", "Camera", "Rename camera…", "", True, "Give the camera another name."),
    Action(
        "as_it_is", "Camera", "As it is now…", "", True, "Say what is set on the camera; corrects what is installed."
    ),
    Action(
        "pause_alerts",
        "Camera",
        "Pause alerts…",
        "Ctrl+Shift+P",
        True,
        "Note that alerts are paused on this camera: 30 minutes, 2 hours, until tomorrow or a time; ends by itself.",
    ),
    Action(
        "describe_make",
        "Camera",
        "Describe its make…",
        "",
        True,
        "Say what the make of this camera can be told; checked at once, saved and shared as JSON.",
    ),
    Action(
        "copy_draft",
        "Camera",
        "Copy the draft to…",
        "",
        True,
        "Make this draft that of other cameras, each in its own make's form; what is lost is shown.",
    ),
    Action(
        "epochs",
        "Camera",
        "Settings over time…",
        "",
        True,
        "Say which settings were installed when; each motion clip belongs to those.",
    ),
    Action(
        "cause",
        "Camera",
        "Why it recorded…",
        "",
        True,
        "Say why the camera recorded the clips of the selected occurrences; only motion counts for motion settings.",
    ),
    Action("join", "Edit", "Join to one visit", "Ctrl+J", True, "Count the selected occurrences as one visit."),
    Action(
        "split", "Edit", "Split or take out", "Ctrl+Shift+J", True, "Take out of its visit, or split where quietest."
    ),
    Action(
        "join_found",
        "Edit",
        "Join visits over several clips",
        "",
        True,
        "Join real visits that were counted repeatedly.",
    ),
    Action(
        "save_list", "Project", "Save occurrences…", "Ctrl+E", True, "Save all occurrences as CSV, JSON Lines or XLSX."
    ),
    Action(
        "report",
        "Project",
        "Save report…",
        "",
        False,
        "For the owner of the site: a page a camera, before and after, as PDF; pictures only if asked.",
    ),
    Action("print_report", "Project", "Print report…", "", False, "The same, on the printer of this machine."),
    Action("sheets", "Project", "Save all sheets…", "", False, "The settings sheets of all cameras, as PDF and JSON."),
    Action("quit", "Project", "Quit", "Ctrl+Q", False, "Close the window; everything is already saved."),
    Action("undo", "Edit", "Undo", "Ctrl+Z", False, "Take back the last judgement or change of the draft."),
    Action("redo", "Edit", "Redo", "Ctrl+Shift+Z", False, "Do again what was taken back."),
    *(Action(f"go_{step.id}", "Go", step.text, step.keys, step.needs_camera, step.help) for step in STEPS),
    Action("history", "Edit", "History…", "Ctrl+H", False, "See every change of this sitting and go back to any."),
    Action("palette", "Go", "Find an action…", "Ctrl+K", False, "Type a few letters of what you want to do."),
    Action("dark", "View", "Dark colours", "Ctrl+D", False, "Change between light and dark colours."),
    Action("fold", "View", "Fold the score", "F9", True, "Leave the counts alone beside the page, or show all again."),
    Action("guide", "Help", "Guide", "F1", False, "Open the guide at the part that fits this page."),
    Action("keys", "Help", "Keys", "Ctrl+F1", False, "Show every shortcut."),
    Action("messages", "Help", "Messages", "Ctrl+M", False, "See all messages since the project was opened."),
    Action("about", "Help", "About Guardia", "", False, "Version, licence and cautions."),
)
