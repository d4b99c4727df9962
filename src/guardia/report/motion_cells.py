"""A zone as the cell mask of the open ONVIF analytics form: bits packed row by row, PackBits, base64.

The form is the ActiveCells of a cell motion detector in the ONVIF Analytics Service Specification (from memory): the
first bit is the cell in the upper left corner, the most significant bit of a byte comes first. PackBits as in TIFF 6: a
count byte n below 128 is followed by n + 1 literal bytes, one above 128 by a byte that is repeated 257 - n times.
"""

from __future__ import annotations

import base64
from collections.abc import Iterator
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

LONGEST = 128
"""Most bytes of one literal or one repetition."""


def pack_cells(cells: NDArray[np.bool_]) -> str:
    """Pack a cell mask.

    Args:
        cells: (rows, columns), True where a cell is active.

    Returns:
        Base64 of the PackBits of the bits in reading order.
    """
    return base64.b64encode(b"".join(_pack_bits(np.packbits(cells.ravel()).tobytes()))).decode("ascii")


def _pack_bits(data: bytes) -> Iterator[bytes]:
    literal = b""
    for value, group in groupby(data):
        count = len(list(group))
        if count < 3:
            literal += bytes([value]) * count
            continue
        yield from _literals(literal)
        literal = b""
        while count:
            part = min(count, LONGEST)
            yield bytes([257 - part, value]) if part > 1 else bytes([0, value])
            count -= part
    yield from _literals(literal)


def _literals(data: bytes) -> Iterator[bytes]:
    for start in range(0, len(data), LONGEST):
        part = data[start : start + LONGEST]
        yield bytes([len(part) - 1]) + part
