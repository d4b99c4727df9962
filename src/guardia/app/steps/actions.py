"""The actions, and the menus that they stand in: id, text, keys, what must be open, help."""

from __future__ import annotations

from dataclasses import dataclass

from guardia.app.steps.steps import STEPS


@dataclass(frozen=True)
class Action:
    """One thing the person can do."""

    id: str
    """Stable word."""
    text: str
    """Words on screen."""
    keys: str
    """Shortcut, empty for none."""
    needs: str
    """What must be open: 'project', 'camera', or nothing."""
    help: str
    """One sentence."""
    switch: bool = False
    """It is switched on and off."""


ACTIONS = (
    Action("new", "New project…", "Ctrl+N", "", "Make a project for a site in a folder of your choice."),
    Action(
        "begin_from",
        "New project from clips…",
        "Ctrl+Shift+O",
        "",
        "Make a project of a folder of clips, with a camera for each folder or name in it.",
    ),
    Action("open", "Open project…", "Ctrl+O", "", "Open a project's folder."),
    Action("demo", "Open the demo site", "", "", "Open your own copy of the invented boatyard Tern Quay."),
    Action(
        "practice",
        "Practice…",
        "",
        "",
        "Tune an unseen scene by hand, then see the truth and what would have been possible.",
    ),
    Action("portfolio", "Sites side by side…", "", "", "A folder of projects, worst first."),
    Action(
        "bring_in_new",
        "Import what is new",
        "Ctrl+Shift+I",
        "project",
        "Import what came into the folders from which the cameras got their clips.",
    ),
    Action(
        "watch_folders",
        "Watch folders",
        "",
        "project",
        "Import by itself what comes into the folders of the cameras, while the project is open.",
        switch=True,
    ),
    Action("site", "Site…", "", "project", "Correct the site's name, where it lies, or its time zone."),
    Action(
        "damaged", "Damaged entries…", "", "project", "Save what of the project cannot be read, and then delete it."
    ),
    Action(
        "cluster",
        "Measure on a cluster…",
        "",
        "",
        "Say which dask scheduler measures clips; without one it is this machine.",
    ),
    Action("add_camera", "Add camera…", "Ctrl+Shift+N", "project", "Add a camera of a generic make to this project."),
    Action("bring_in", "Import…", "Ctrl+I", "camera", "Import clips, snapshots, event lists, metadata."),
    Action(
        "clip_start",
        "Start of clip…",
        "Ctrl+T",
        "camera",
        "Enter when the selected occurrence's clip really began, in the site's time; can be undone.",
    ),
    Action(
        "reset_draft",
        "Set draft back to installed",
        "",
        "camera",
        "Make the draft equal to the installed settings; can be undone.",
    ),
    Action(
        "clock",
        "Clock of the camera…",
        "Ctrl+Shift+T",
        "camera",
        "Enter how wrong the camera's clock is; every time of its clips and events is put right.",
    ),
    Action(
        "watched",
        "Time covered…",
        "",
        "camera",
        "Enter when this camera was up and when it was down; rates per day are based on that.",
    ),
    Action("clips", "Clips…", "", "camera", "See the camera's clips; remove what does not belong there."),
    Action("make", "Make of the camera…", "", "camera", "Say of which make it is; its settings are fitted."),
    Action(
        "use_others",
        "Learn from my other cameras",
        "",
        "camera",
        "Let this camera's scale start from what your other cameras of its make showed; nothing leaves this machine.",
    ),
    Action("remove", "Remove from the project", "", "camera", "Remove the camera with its clips; can be undone."),
    Action("rename", "Rename camera…", "", "camera", "Give the camera another name."),
    Action("as_it_is", "As it is now…", "", "camera", "Say what is set on the camera; corrects what is installed."),
    Action(
        "pause_alerts",
        "Pause alerts…",
        "Ctrl+Shift+P",
        "camera",
        "Note that alerts are paused on this camera: 30 minutes, 2 hours, until tomorrow or a time; ends by itself.",
    ),
    Action(
        "describe_make",
        "Describe its make…",
        "",
        "camera",
        "Say what can be set on this make of camera; checked at once, saved and shared as JSON.",
    ),
    Action(
        "copy_draft",
        "Copy the draft to…",
        "",
        "camera",
        "Make this draft that of other cameras, each in its own make's form; what is lost is shown.",
    ),
    Action(
        "epochs",
        "Settings over time…",
        "",
        "camera",
        "Say which settings were installed when; each motion clip belongs to those.",
    ),
    Action(
        "cause",
        "Why it recorded…",
        "",
        "camera",
        "Say why the camera recorded the clips of the selected occurrences; only motion counts for motion settings.",
    ),
    Action("join", "Join to one visit", "Ctrl+J", "camera", "Count the selected occurrences as one visit."),
    Action(
        "split",
        "Split or remove",
        "Ctrl+Shift+J",
        "camera",
        "Remove the selected occurrence from its visit, or split it where it is quietest.",
    ),
    Action(
        "join_found", "Join visits over several clips", "", "camera", "Join real visits that were counted repeatedly."
    ),
    Action("save_list", "Save occurrences…", "Ctrl+E", "camera", "Save all occurrences as CSV, JSON Lines or XLSX."),
    Action(
        "report",
        "Save report…",
        "",
        "project",
        "For the owner of the site: a page a camera, before and after, as PDF; pictures only if asked.",
    ),
    Action(
        "print_report", "Print report…", "", "project", "See the owner's report as it will be printed, and print it."
    ),
    Action("sheets", "Save all sheets…", "", "project", "The settings sheets of all cameras, as PDF and JSON."),
    Action("quit", "Quit", "Ctrl+Q", "", "Close the window; everything is already saved."),
    Action("undo", "Undo", "Ctrl+Z", "", "Undo the last judgement or change."),
    Action("redo", "Redo", "Ctrl+Shift+Z", "", "Do again what was undone."),
    Action("history", "History…", "Ctrl+H", "project", "See every change of this sitting and go back to any."),
    Action(
        "palette",
        "Find…",
        "Ctrl+K",
        "",
        "Find an action, a page, a setting, a camera or a part of the guide by a few letters.",
    ),
    Action("dark", "Dark colours", "Ctrl+D", "", "Change between light and dark colours."),
    Action("fold", "Fold the score", "F9", "camera", "Leave the counts alone beside the page, or show all again."),
    Action("guide", "Guide", "F1", "", "Open the guide at the part that fits this page."),
    Action("keys", "Keys", "Ctrl+F1", "", "Show every shortcut."),
    Action("messages", "Messages", "Ctrl+M", "", "See all messages since the project was opened."),
    Action("about", "About Guardia", "", "", "Version, licence and cautions."),
    Action("close", "Close project", "Ctrl+W", "project", "Close this project; everything is already saved."),
    Action("preferences", "Preferences…", "Ctrl+,", "", "Colours, text size, and the folder for new projects."),
    Action("previous_camera", "Previous camera", "Ctrl+PgUp", "camera", "Show this page for the camera before."),
    Action("next_camera", "Next camera", "Ctrl+PgDown", "camera", "Show this page for the next camera."),
    Action("choose_camera", "Choose camera…", "Ctrl+L", "camera", "Find another camera by a few letters of its name."),
    Action("larger", "Larger text", "Ctrl++", "", "Show all text one step larger."),
    Action("smaller", "Smaller text", "Ctrl+-", "", "Show all text one step smaller."),
    *(
        Action(f"go_{step.id}", step.text, step.keys, "camera" if step.needs_camera else "project", step.help)
        for step in STEPS
    ),
)

RECENT = "recent"
"""Stands in a menu for the projects opened last."""

MENUS = (
    (
        "Project",
        ("new", "begin_from", "open", RECENT, "demo"),
        ("bring_in_new", "watch_folders"),
        ("site", "damaged", "portfolio"),
        ("save_list", "sheets", "report", "print_report"),
        ("practice", "cluster"),
        ("close", "quit"),
    ),
    ("Edit", ("undo", "redo", "history"), ("join", "split", "join_found"), ("palette",), ("preferences",)),
    ("View", ("fold",), ("larger", "smaller", "dark")),
    (
        "Camera",
        ("add_camera", "rename", "remove"),
        ("previous_camera", "next_camera", "choose_camera"),
        ("bring_in", "clips", "clip_start", "cause"),
        ("make", "describe_make", "use_others"),
        ("as_it_is", "epochs", "clock", "watched", "pause_alerts"),
        ("copy_draft", "reset_draft"),
    ),
    (
        "Go",
        tuple(f"go_{step.id}" for step in STEPS if not step.part_of),
        tuple(f"go_{step.id}" for step in STEPS if step.part_of),
    ),
    ("Help", ("guide", "keys", "messages"), ("about",)),
)
"""Every menu: its name, then its groups of actions, with a line between the groups."""


def with_mnemonics(texts: list[str]) -> list[str]:
    """Texts of one menu, each with '&' before the letter that chooses it, as far as there are letters for all.

    First letters of words go before letters within a word, and a letter is given once.
    """
    taken: set[str] = set()
    marked = []
    for text in texts:
        starts = [i for i, c in enumerate(text) if c.isalnum() and (i == 0 or not text[i - 1].isalnum())]
        places = [*starts, *(i for i, c in enumerate(text) if c.isalnum() and i not in starts)]
        place = next((i for i in places if text[i].lower() not in taken), None)
        if place is not None:
            taken.add(text[place].lower())
            text = f"{text[:place]}&{text[place:]}"
        marked.append(text)
    return marked
