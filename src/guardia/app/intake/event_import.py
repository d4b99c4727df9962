"""Bring in what cameras say of their clips: event lists, open metadata, object boxes."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.events import ColumnMapping
from guardia.formats.event_lists import ListShape, guess_mapping, look_at, read_events
from guardia.formats.mot import read_mot
from guardia.formats.onvif import read_metadata
from guardia.media.reader import frame_rate
from guardia.store.project import Project

LIST_SUFFIXES = frozenset((".csv", ".txt", ".tsv", ".jsonl", ".ndjson"))
METADATA_SUFFIXES = frozenset((".xml",))


@dataclass
class ListResult:
    """What came in."""

    added: int = 0
    """New events."""
    known: int = 0
    """Events that were here already."""
    boxes: int = 0
    """Clips that got object boxes."""
    notes: list[str] = field(default_factory=list)
    """One sentence for whatever was skipped or is doubtful."""


def take_in_list(
    project: Project,
    camera_id: int,
    path: Path,
    mapping: ColumnMapping | None = None,
    *,
    shape: ListShape | None = None,
) -> ListResult:
    """Bring in an event list.

    Args:
        project: The open project.
        camera_id: The camera whose list it is.
        path: CSV or JSON Lines.
        mapping: Which column means what; a guess when None.
        shape: From look_at(), when it was looked at before.

    Returns:
        What came in.

    Raises:
        InvalidValue: If the list cannot be read at all.
    """
    shape = shape or look_at(path)
    report = read_events(shape, mapping or guess_mapping(shape), ZoneInfo(project.site().time_zone))
    added = project.lists.add_events(camera_id, report.events, path.name)
    notes = [*report.skipped, *report.doubts]
    return ListResult(added, len(report.events) - added, 0, notes)


def take_in_metadata(project: Project, camera_id: int, path: Path) -> ListResult:
    """Bring in ONVIF metadata: its motion events, and its object boxes on the clips of that time.

    Args:
        project: The open project.
        camera_id: The camera.
        path: The XML file.

    Returns:
        What came in.

    Raises:
        InvalidValue: If it is no safe and whole XML.
    """
    report = read_metadata(path)
    result = ListResult(project.lists.add_events(camera_id, report.events, path.name), notes=list(report.skipped))
    result.known = len(report.events) - result.added
    error_s = project.cameras.get(camera_id).clock_error_s
    placed = 0
    for clip in project.clips.of(camera_id):
        begin = clip.start_s + error_s
        part = report.boxes.between(begin, begin + clip.duration_s, zero_s=begin)
        if len(part.times_s):
            project.lists.put_boxes(clip.id, part, path.name)
            result.boxes += 1
            placed += len(part.times_s)
    left = len(report.boxes.times_s) - placed
    if left > 0:
        result.notes.append(f"{path.name}: {left} boxes fall into no clip of this camera and were left out.")
    if not report.events and not len(report.boxes.times_s):
        result.notes.append(f"{path.name} holds no motion events and no object boxes that Guardia knows.")
    return result


def take_in_boxes(project: Project, camera_id: int, path: Path, *, rate_hz: float | None = None) -> ListResult:
    """Bring in boxes in the MOTChallenge form for the clip of the same name.

    Args:
        project: The open project.
        camera_id: The camera.
        path: The CSV file; its name without the ending is that of the clip.
        rate_hz: Frames per second of that clip; by the clip itself when None.

    Returns:
        What came in.

    Raises:
        InvalidValue: If it cannot be read, or the camera has no clip of that name.
    """
    clip = next((c for c in project.clips.of(camera_id) if Path(c.name).stem == path.stem), None)
    if clip is None:
        raise InvalidValue(
            f"This camera has no clip named '{path.stem}', which the boxes of {path.name} belong to.",
            kept="Nothing was changed.",
            do="Import the clip first, or give the file the clip's name.",
        )
    width, height = project.clips.size(clip.id)
    rate = frame_rate(project.clips.path(clip.id)) if rate_hz is None else rate_hz
    boxes, skipped = read_mot(path, rate_hz=rate, width_px=width, height_px=height)
    project.lists.put_boxes(clip.id, boxes, path.name)
    return ListResult(boxes=1, notes=skipped)
