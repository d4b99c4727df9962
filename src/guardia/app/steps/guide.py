"""The guide: short pages on the work, shipped with the program, and which of them fits a step."""

from __future__ import annotations

from importlib.resources import files
from typing import NamedTuple


class GuidePart(NamedTuple):
    """One page of the guide."""

    id: str
    """Name of its file."""
    title: str
    """Its heading."""
    text: str
    """The page, in Markdown."""


ORDER = (
    "first-camera", "too-many-alerts", "nothing-was-recorded", "night", "storage-runs-out", "battery", "weekly-round",
    "practice", "words",
)  # fmt: skip
"""Names of the files in src/guardia/data/guide, in the order in which they are offered."""

PART_OF_STEP = {
    "round": "weekly-round", "evidence": "too-many-alerts", "alike": "too-many-alerts", "statistics": "too-many-alerts",
    "zones": "too-many-alerts", "sensitivity": "night", "tune": "too-many-alerts", "hours": "night",
    "storage": "storage-runs-out", "prove": "nothing-was-recorded", "coverage": "nothing-was-recorded",
}  # fmt: skip
"""The part that F1 opens at a step; the first camera at every other."""


def guide() -> list[GuidePart]:
    """All parts, in order."""
    folder = files("guardia") / "data" / "guide"
    texts = [(name, (folder / f"{name}.md").read_text("utf-8")) for name in ORDER]
    return [GuidePart(name, text.partition("\n")[0].removeprefix("# "), text) for name, text in texts]


def part_for(step: str, *, on_battery: bool = False) -> str:
    """The part that fits a step; storage of a camera on a battery is about its charge first."""
    part = PART_OF_STEP.get(step, ORDER[0])
    return "battery" if part == "storage-runs-out" and on_battery else part
