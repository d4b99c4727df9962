"""What class of object an occurrence is for a make's object filter, and who says so."""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.capability import Capability
from guardia.core.view.geometry import ViewGeometry, real_heights, real_widths
from guardia.core.view.tracks import Track, tracks_of

_OF_KIND: dict[str, tuple[str, ...]] = {
    "person": ("person",),
    "parcel": ("parcel", "person"),
    "vehicle": ("vehicle",),
    "animal": ("animal",),
    "animal_that_matters": ("animal",),
}

VEHICLE_WIDTH_M = 2.2
PERSON_HEIGHT_M = (1.15, 2.3)
LEAST_HEIGHT_M = 0.15
FASTEST_M_S = 12.0
"""Sizes and speed of the rule (common practice, no source): wider than a person with outstretched arms is a vehicle,
as tall as a person is one, lower is an animal; what is tiny or faster than this is none."""


class ObjectClass(NamedTuple):
    """The class of an occurrence."""

    names: tuple[str, ...]
    """Classes that fit, none for mere motion."""
    by: str
    """'camera', 'judgement', 'size and speed', or '' when nobody can say."""


@lru_cache(maxsize=4)
def object_classes(evidence: Evidence, capability: Capability) -> dict[int, ObjectClass]:
    """The class of every occurrence.

    The class that the camera named comes first, where its list names classes at all; then the judgement; then, for what
    is not judged and with a calibrated view, a rule of size and speed. Where the capability states a range in which the
    make's classes hold, judgement and rule give no class beyond it.

    Args:
        evidence: Clips, occurrences, events, and the view where it is known.
        capability: The make.

    Returns:
        By occurrence id.
    """
    names_any = any(e.named for e in evidence.events)
    classes = {}
    for o in evidence.occurrences:
        event = evidence.event_of.get(o.id)
        if names_any and event is not None:
            classes[o.id] = ObjectClass((event.named,) if event.named else (), "camera")
        elif o.kind and o.kind != "unsure":
            far = _too_far(evidence, o, capability)
            classes[o.id] = ObjectClass(() if far else _OF_KIND.get(o.kind, ()), "judgement")
        elif evidence.view is not None:
            track = main_track(evidence, o)
            far = _too_far(evidence, o, capability)
            names = () if track is None or far else by_size_and_speed(track, evidence.view)
            classes[o.id] = ObjectClass(names, "size and speed")
        else:
            classes[o.id] = ObjectClass((), "")
    return classes


def frames_of(evidence: Evidence, capability: Capability, wanted: tuple[str, ...]) -> NDArray[np.bool_]:
    """(F,) pictures of the stack in which something that a filter for some classes lets through may move.

    As the object filter has it: those during occurrences that are let through, and all of clips without occurrences.
    """
    frames = np.zeros(evidence.stack.frames, bool)
    classes = object_classes(evidence, capability)
    for index, clip in enumerate(evidence.clips):
        if clip.id not in evidence.of_clip:
            frames[slice(*evidence.stack.clip_start[index : index + 2].tolist())] = True
    for place, o in enumerate(evidence.occurrences):
        if lets_through(classes[o.id], wanted):
            frames[slice(*evidence.windows[place].tolist())] = True
    return frames


def main_track(evidence: Evidence, o: Occurrence) -> Track | None:
    """The track of an occurrence that covers most of the picture over its time, None when nothing can be followed."""
    tracks = tracks_of(evidence.stack, evidence.clip_index[o.clip_id], o.start_s, o.end_s)
    return max(tracks, key=lambda t: float((t.box[:, 2] * t.box[:, 3]).sum()), default=None)


def _too_far(evidence: Evidence, o: Occurrence, capability: Capability) -> bool:
    if capability.class_range_m is None or evidence.view is None:
        return False
    track = main_track(evidence, o)
    if track is None:
        return False
    day, night = capability.class_range_m
    nearest = float(np.nanmin(np.append(evidence.view.to_ground(track.feet)[:, 1], np.inf)))
    return nearest > (night if evidence.clip_of(o).dark else day)


def by_size_and_speed(track: Track, view: ViewGeometry) -> tuple[str, ...]:
    """The class by the rule of size and speed.

    Args:
        track: The thing followed.
        view: The calibrated view.

    Returns:
        One class, or none.
    """
    ground = view.to_ground(track.feet)
    good = ~np.isnan(ground).any(axis=1)
    if good.sum() < 2:
        return ()
    height = float(np.nanmedian(real_heights(view, track.feet[good], track.box[good, 1])))
    width = float(np.nanmedian(real_widths(view, track.feet[good], track.box[good, 2])))
    steps = np.hypot(*np.diff(ground[good], axis=0).T) / np.diff(track.times_s[good])
    if height < LEAST_HEIGHT_M or float(np.median(steps)) > FASTEST_M_S:
        return ()
    if width > VEHICLE_WIDTH_M:
        return ("vehicle",)
    if PERSON_HEIGHT_M[0] <= height <= PERSON_HEIGHT_M[1]:
        return ("person",)
    return ("animal",) if height < PERSON_HEIGHT_M[0] else ()


def lets_through(thing: ObjectClass, wanted: tuple[str, ...]) -> bool:
    """Whether a filter for some classes lets an object through: any of its classes is wanted, or nobody can say."""
    return not wanted or not thing.by or any(n in wanted for n in thing.names)
