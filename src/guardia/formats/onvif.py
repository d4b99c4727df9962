"""The open ONVIF metadata stream: motion events and object boxes, read from XML.

The form is the analytics metadata of the ONVIF Analytics Service Specification: MetadataStream holds
VideoAnalytics/Frame elements with a UtcTime and Object/Appearance/Shape/BoundingBox in coordinates from -1 to 1 (x
right, y up, after the frame's Transformation), and Event/NotificationMessage elements with a topic and simple items.
Names are from memory of the specification; files that name things otherwise give no events.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import ParseError

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.events import Boxes, CameraEvent
from guardia.formats.plain import plain_file

_STATES = frozenset(("IsMotion", "State", "IsInside", "LogicalState"))
_LIMIT = 5_000_000
_TOLD = 20


@dataclass
class MetadataReport:
    """What a metadata file says."""

    events: list[CameraEvent] = field(default_factory=list)
    """Motion events, in order of their beginning."""
    boxes: Boxes = field(default_factory=lambda: Boxes(np.empty(0), np.empty(0, np.int64), np.empty((0, 4)), {}))
    """Object boxes on the POSIX clock."""
    skipped: list[str] = field(default_factory=list)
    """One sentence per element that could not be used, at most some."""


def read_metadata(path: Path) -> MetadataReport:
    """Read a metadata file.

    Args:
        path: The XML file.

    Returns:
        Events and boxes at the times that the camera's clock showed, and what was skipped.

    Raises:
        InvalidValue: If the file cannot be read, is not XML, or uses entities or document types, which are refused as
            unsafe.
    """
    report = MetadataReport()
    rows: list[tuple[float, int, float, float, float, float]] = []
    named: dict[int, str] = {}
    numbers: dict[str, int] = {}
    open_since: dict[str, tuple[float, str]] = {}
    try:
        for element in _elements(path):
            try:
                if element.tag == "Frame":
                    at = _moment(element.get("UtcTime"))
                    for object_id, box, name in _objects(element):
                        number = numbers.setdefault(object_id, len(numbers))
                        if name:
                            named[number] = name
                        rows.append((at, number, *box))
                        if len(rows) > _LIMIT:
                            raise InvalidValue(f"{path.name} holds more than {_LIMIT} boxes.", do="Split the file.")
                else:
                    _take_event(element, open_since, report.events)
            except (ValueError, TypeError, AttributeError) as error:
                report.skipped.append(f"{path.name}: an element {element.tag} cannot be used ({error}).")
    except (DefusedXmlException, ParseError, LookupError) as error:
        unsafe = isinstance(error, DefusedXmlException)
        what = "uses entities or a document type, which can harm" if unsafe else f"is not whole XML ({error})"
        raise InvalidValue(f"{path.name} {what}.", kept="Nothing of it was imported.") from error
    except OSError as error:
        raise InvalidValue(f"{path.name} cannot be read ({error.strerror}).", kept="Nothing was changed.") from error
    report.events += [CameraEvent(at, None, "", None, zone) for at, zone in open_since.values()]
    report.events.sort(key=lambda e: e.at_s)
    if len(report.skipped) > _TOLD:
        report.skipped = [*report.skipped[:_TOLD], f"{path.name}: {len(report.skipped) - _TOLD} more were skipped."]
    if rows:
        table = np.array(rows, np.float64)
        table = table[np.argsort(table[:, 0], kind="stable")]
        report.boxes = Boxes(table[:, 0], table[:, 1].astype(np.int64), table[:, 2:], named)
    return report


def _elements(path: Path) -> Iterator[Any]:
    """Frames and notification messages with their name spaces taken off, each forgotten after use."""
    with plain_file(path).open("rb") as file:
        for _, element in iterparse(file, forbid_dtd=True):
            if _bare(element.tag) in ("Frame", "NotificationMessage"):
                for inner in element.iter():
                    inner.tag = _bare(inner.tag)
                yield element
                element.clear()


def _bare(tag: str) -> str:
    return tag.rpartition("}")[2]


def _moment(text: str | None) -> float:
    if not text:
        raise ValueError("it has no UtcTime")
    moment = datetime.fromisoformat(text)
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()


def _objects(frame: Any) -> Iterator[tuple[str, tuple[float, float, float, float], str]]:
    scale, shift = (1.0, 1.0), (0.0, 0.0)
    if (change := frame.find("Transformation")) is not None:
        scale, shift = _pair(change.find("Scale"), 1.0), _pair(change.find("Translate"), 0.0)
    for thing in frame.iter("Object"):
        bounds = thing.find(".//BoundingBox")
        if bounds is None:
            continue
        left, right = (float(bounds.get(n)) * scale[0] + shift[0] for n in ("left", "right"))
        top, bottom = (float(bounds.get(n)) * scale[1] + shift[1] for n in ("top", "bottom"))
        box = ((left + 1) / 2, (1 - top) / 2, (right - left) / 2, (top - bottom) / 2)
        if not all(np.isfinite(box)) or box[2] <= 0 or box[3] <= 0 or not -1 <= box[0] <= 2 or not -1 <= box[1] <= 2:
            raise ValueError(f"object {thing.get('ObjectId')} has no usable box")
        yield str(thing.get("ObjectId")), box, _class_of(thing)


def _pair(element: Any, usual: float) -> tuple[float, float]:
    return (usual, usual) if element is None else (float(element.get("x", usual)), float(element.get("y", usual)))


def _class_of(thing: Any) -> str:
    """The likeliest class: a Type with a Likelihood, or a ClassCandidate with Type and Likelihood."""
    best, most = "", -1.0
    candidates = [(t.text, t.get("Likelihood")) for t in thing.iterfind(".//Class/Type")]
    candidates += [(c.findtext("Type"), c.findtext("Likelihood")) for c in thing.iterfind(".//ClassCandidate")]
    for text, likelihood in candidates:
        value = float(likelihood) if likelihood else 0.0
        if text and value > most:
            best, most = text.strip().lower(), value
    return {"human": "person", "humanface": "person", "face": "person", "vehical": "vehicle"}.get(best, best)


def _take_event(element: Any, open_since: dict[str, tuple[float, str]], events: list[CameraEvent]) -> None:
    """Motion begins with a true state and ends with a false one of the same topic and source."""
    topic = (element.findtext("Topic") or "").strip()
    message = element.find("Message/Message")
    if message is None or "motion" not in topic.lower():
        return
    at = _moment(message.get("UtcTime"))
    source = {i.get("Name"): i.get("Value") for i in message.iterfind("Source/SimpleItem")}
    states = [i.get("Value") for i in message.iterfind("Data/SimpleItem") if i.get("Name") in _STATES]
    zone = source.get("Rule") or ""
    key = f"{topic} {sorted((str(k), str(v)) for k, v in source.items())}"
    if not states or states[0] is None:
        raise ValueError("it says no state")
    if states[0].lower() in ("true", "1"):
        open_since.setdefault(key, (at, zone))
    elif key in open_since:
        begin, named_zone = open_since.pop(key)
        events.append(CameraEvent(begin, max(0.0, at - begin), "", None, named_zone))
