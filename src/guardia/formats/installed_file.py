"""What is set on a camera, read from a file: settings or a sheet as JSON, or ONVIF analytics XML that it exported.

The XML form is that of report.analytics_xml: a cell motion engine with its sensitivity and layout, and a cell motion
detector with its active cells and its delay. Names are from memory of the ONVIF Analytics Service Specification.
"""

from __future__ import annotations

import base64
import binascii
import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import ParseError

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from numpy.typing import NDArray
from PIL import Image

from guardia.core.base.errors import InvalidValue
from guardia.core.make.capability import Capability
from guardia.core.make.convert_zones import convert
from guardia.core.make.levers import HOLD, LEVERS
from guardia.core.make.settings import settings_given
from guardia.core.make.zones import BlockZone
from guardia.core.trace.measure import Grid
from guardia.formats.plain import no_number, plain_file

LARGEST_BYTES = 5_000_000
MOST_CELLS = 64
"""Each way, as for the blocks of a make."""


@dataclass(frozen=True)
class FoundSettings:
    """What a file says of the settings on a camera."""

    values: dict[str, Any]
    """By name of the setting; what the file does not say is not there."""
    notes: tuple[str, ...] = ()
    """What could not be used, in sentences."""


def read_installed(path: Path, capability: Capability) -> FoundSettings:
    """Read what is set on a camera.

    Args:
        path: JSON or XML.
        capability: The make of the camera.

    Returns:
        What the file says, in the words of the make.

    Raises:
        InvalidValue: If the file cannot be read, says nothing of settings, or is for another make.
    """
    try:
        data = plain_file(path).read_bytes()
    except OSError as error:
        raise InvalidValue(f"{path.name} cannot be read ({error.strerror}).") from error
    if len(data) > LARGEST_BYTES:
        raise InvalidValue(f"{path.name} is too large for a settings file.", do="Choose the exported settings.")
    if data.lstrip(b"\xef\xbb\xbf \t\r\n").startswith(b"<"):
        return _of_xml(data, path.name, capability)
    return _of_json(data, path.name, capability)


def _of_json(data: bytes, name: str, capability: Capability) -> FoundSettings:
    try:
        form = json.loads(data, parse_constant=no_number)
    except (ValueError, RecursionError) as error:
        raise InvalidValue(f"{name} is neither JSON nor XML ({error}).") from error
    if isinstance(form, dict) and isinstance(form.get("settings"), dict):
        form = form["settings"]  # a settings sheet
    if not isinstance(form, dict):
        raise InvalidValue(f"{name} holds no settings.", do="Choose a settings file or a settings sheet as JSON.")
    settings = settings_given(form)
    if settings.capability != capability.id:
        raise InvalidValue(
            f"{name} is for the make '{settings.capability}', this camera's is '{capability.id}'.",
            kept="Nothing was filled in.",
        )
    notes, values = [], {}
    for lever in LEVERS:
        if not lever.there(capability) or not lever.known(settings):
            continue
        value = lever.read(settings)
        if lever.choices is not None and value not in lever.choices(capability):
            notes.append(f"{lever.subject}: this make does not offer '{lever.say(value, capability)}'.")
        else:
            values[lever.id] = value
    return FoundSettings(values, tuple(notes))


def _of_xml(data: bytes, name: str, capability: Capability) -> FoundSettings:
    try:
        root = fromstring(data)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise InvalidValue(f"{name} cannot be read as XML ({error}).") from error
    items: dict[str, str] = {}
    grid: Grid | None = None
    for element in root.iter():
        tag = element.tag.rpartition("}")[2] if isinstance(element.tag, str) else ""
        if tag == "SimpleItem":
            items.setdefault(element.get("Name", ""), element.get("Value", ""))
        elif tag == "CellLayout" and grid is None:
            grid = _grid(element.get("Columns"), element.get("Rows"))
    values: dict[str, Any] = {}
    notes: list[str] = []
    if (place := _number(items.get("Sensitivity"))) is not None and 0 <= place <= 100:
        levels = capability.notches
        nearest = min(range(len(levels)), key=lambda n: abs(100 * (n + 1) / len(levels) - place))
        values["notch"] = levels[nearest].label
        notes.append(f"Sensitivity {place:g} of 100 is taken for level '{levels[nearest].label}': check it.")
    if (delay := _number(items.get("AlarmOnDelay"))) is not None:
        values["hold_s"] = HOLD.carried(max(0.0, delay / 1000), capability)
    if "ActiveCells" in items:
        cells = _cells(items["ActiveCells"], grid)
        if cells is None:
            notes.append("Its active cells cannot be read: draw the zone from the camera's own page.")
        elif cells.all():
            values["zones"] = ()
        else:
            rows, columns = cells.shape
            drawn = (BlockZone(columns, rows, tuple(cells.ravel().tolist())),)
            values["zones"] = convert(drawn, capability, grid=Grid(columns, rows))
    if not values:
        raise InvalidValue(
            f"{name} says nothing of motion settings.", do="Choose the camera's analytics configuration."
        )
    return FoundSettings(values, tuple(notes))


def _number(text: str | None) -> float | None:
    try:
        value = float(text or "")
    except ValueError:
        return None
    return value if np.isfinite(value) else None


def _grid(columns: str | None, rows: str | None) -> Grid | None:
    sizes = [_number(columns), _number(rows)]
    if any(size is None or not 1 <= size <= MOST_CELLS for size in sizes):
        return None
    return Grid(*(int(size) for size in sizes if size is not None))


def _cells(text: str, grid: Grid | None) -> NDArray[np.bool_] | None:
    """The mask, None where it cannot be unpacked or is too short for the layout."""
    if grid is None:
        return None
    bits = grid.cells + -grid.cells % 8
    try:
        packed = base64.b64decode(text, validate=True)
        read = np.array(Image.frombytes("1", (bits, 1), packed, "packbits", "1"))
    except (binascii.Error, ValueError):
        return None
    cells: NDArray[np.bool_] = read.ravel()[: grid.cells].reshape(grid.rows, grid.columns)
    return cells
