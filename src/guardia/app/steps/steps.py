"""The one table of the steps of the work. A new step is a line here and its page in `ui.step_pages`."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Step:
    """One step of the work, or a part of one."""

    id: str
    """Stable word."""
    text: str
    """Words on screen."""
    hint: str
    """A few words on what is done there."""
    keys: str
    """Shortcut."""
    help: str
    """One sentence."""
    part_of: str = ""
    """Id of the step that it is a part of, shown as a tab there; empty for a step of its own."""
    needs_camera: bool = True
    """Only reached with a camera open."""
    all_cameras: bool = False
    """Its page is of the whole site and stays when another camera is opened."""


STEPS = (
    Step(
        "round", "Round", "all cameras, worst first", "Ctrl+1",
        "All cameras, worst first, each with its next action.", needs_camera=False, all_cameras=True,
    ),
    Step("setup", "Set up", "in the right order", "Ctrl+2", "Set a camera up in the right order."),
    Step("purpose", "Purpose", "what it is for", "F4", "Say what a camera is for, and see whether that is met."),
    Step("evidence", "Evidence", "judge what was recorded", "Ctrl+3", "Judge what was recorded."),
    Step("view", "View", "what it sees, how far", "Ctrl+4", "Calibrate the view: distances, pixel density and reach."),
    Step("zones", "Zones", "where motion counts", "Ctrl+5", "Draw where motion counts and where it is ignored."),
    Step(
        "sensitivity", "Sensitivity", "how much and how long", "Ctrl+6",
        "Set how much motion triggers and for how long.",
    ),
    Step("tune", "Tune", "find it, hold it out", "Ctrl+7", "Search better settings and prove them on days held out."),
    Step("hours", "Hours", "when it may record", "Ctrl+8", "Set when it records and alerts, on the evidence."),
    Step("storage", "Storage", "how long it is kept", "Ctrl+9", "How long footage, a charge and data last."),
    Step("prove", "Prove", "why not, walk tests", "Ctrl+0", "Find why it was not recorded; plan walk tests."),
    Step("handover", "Hand over", "sheet and logbook", "F5", "Save the settings sheet and log what was entered."),
    Step(
        "alike", "Similar", "Groups that moved in similar ways, on all cameras, judged in one stroke", "F6",
        "Judge groups of similar occurrences in one stroke.", "evidence", all_cameras=True,
    ),
    Step(
        "statistics", "Days and causes",
        "Calendar of the evidence, and false recordings a day with their uncertainty", "F7",
        "Calendar, and false recordings a day by cause.", "evidence",
    ),
    Step(
        "coverage", "Missed", "What the evidence can answer, and what no record of the camera covers", "F8",
        "What the evidence can answer and what no record covers.", "evidence",
    ),
)  # fmt: skip
"""In the order of the work and of their keys; parts of a step after all steps."""

FIRST_TABS = {"evidence": ("Occurrences", "One after another, in order of time")}
"""What the tab of a step with parts says of the step itself: words and tip."""

BY_ID = {step.id: step for step in STEPS}


def step_of(id: str) -> str:
    """Id of the step that a step or a part belongs to; what is neither stands for itself."""
    return (BY_ID[id].part_of or id) if id in BY_ID else id


def tabs_of(id: str) -> list[tuple[str, str, str]]:
    """The tabs over a step that has parts: id, words and tip of each, itself first; empty for one without."""
    first = step_of(id)
    parts = [(s.id, s.text, s.hint) for s in STEPS if s.part_of == first]
    return [(first, *FIRST_TABS[first]), *parts] if parts else []
