"""Boxes in the open CSV form of the MOTChallenge benchmark."""

from __future__ import annotations

import csv
import math
from pathlib import Path

import numpy as np

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.events import Boxes
from guardia.formats.plain import plain_file

_CLASSES = {1: "person", 2: "person", 3: "vehicle", 4: "bicycle", 5: "vehicle", 7: "person"}
"""Class numbers of the MOT16 ground truth that matter here (from memory): pedestrian, on vehicle, car, bicycle, ..."""

_TOLD = 20


def looks_like_boxes(path: Path) -> bool:
    """Whether a file's first line is that of boxes in this form: six to ten numbers between commas."""
    try:
        with plain_file(path).open(encoding="utf-8-sig", errors="replace") as file:
            values = file.readline(1000).strip().split(",")
        return 6 <= len(values) <= 10 and all(math.isfinite(float(v)) for v in values)
    except (OSError, ValueError):
        return False


def read_mot(path: Path, *, rate_hz: float, width_px: int, height_px: int) -> tuple[Boxes, list[str]]:
    """Read boxes written as frame, id, left, top, width, height, confidence[, class, visibility] in pixels.

    Args:
        path: The CSV file; frames count from 1.
        rate_hz: Frames per second of the clip.
        width_px: Width of the clip's picture.
        height_px: Its height.

    Returns:
        Boxes on the clip's clock, those with confidence 0 left out (the form's mark for 'ignore'), and one sentence for
        each line that could not be used, the first of many.

    Raises:
        InvalidValue: If the file cannot be read, or the rate or size is not above 0.
    """
    if not (rate_hz > 0 and width_px > 0 and height_px > 0):
        raise InvalidValue("Boxes in pixels need the clip's frame rate and picture size.")
    rows: list[tuple[float, ...]] = []
    named: dict[int, str] = {}
    skipped: list[str] = []
    try:
        with plain_file(path).open(encoding="utf-8-sig", errors="replace", newline="") as file:
            for number, values in enumerate(csv.reader(file), start=1):
                if not values:
                    continue
                try:
                    row = [float(v) for v in values]
                    if len(row) < 6 or not all(math.isfinite(v) for v in row):
                        raise ValueError("it needs six finite numbers")
                    frame, thing, left, top, width, height = row[:6]
                    if frame < 1 or width <= 0 or height <= 0:
                        raise ValueError("frame, width and height must be above 0")
                except ValueError as error:
                    skipped.append(f"{path.name}, line {number}: {error}.")
                    continue
                if len(row) > 6 and row[6] == 0:
                    continue
                if len(row) == 9 and int(row[7]) in _CLASSES:
                    named[int(thing)] = _CLASSES[int(row[7])]
                box = (left / width_px, top / height_px, width / width_px, height / height_px)
                rows.append(((frame - 1) / rate_hz, thing, *box))
    except (OSError, csv.Error) as error:
        raise InvalidValue(f"{path.name} cannot be read as CSV ({error}).", kept="Nothing was changed.") from error
    if len(skipped) > _TOLD:
        skipped = [*skipped[:_TOLD], f"{path.name}: {len(skipped) - _TOLD} more lines could not be used."]
    table = np.array(rows, np.float64).reshape(-1, 6)
    table = table[np.argsort(table[:, 0], kind="stable")]
    return Boxes(table[:, 0], table[:, 1].astype(np.int64), table[:, 2:], named), skipped
