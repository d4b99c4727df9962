"""When the pictures of a clip are shown and in which order they are decoded, known from its packets alone."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import av

USUAL_RATE = 25.0
"""Pictures per second where a stream without times does not tell its rate either."""

RESTART_S = 1.0
JUMP_S = 600.0
"""Times that fall back by more than the first or leap ahead by more than the second begin anew: FFmpeg gives files that
were put end to end the times of each."""


class Clock:
    """Puts the packets of a stream on one clock that runs on where their times begin anew."""

    def __init__(self, stream: Any) -> None:
        base = float(stream.time_base)
        self._back, self._ahead = round(RESTART_S / base), round(JUMP_S / base)
        self._usual = max(1, round(1 / float(stream.average_rate or USUAL_RATE) / base))
        self._shift = 0
        self._last: int | None = None

    def set(self, packet: Any) -> None:
        """Give a packet its times on that clock."""
        at = packet.dts if packet.dts is not None else packet.pts
        if at is None:
            return
        if self._last is not None and not -self._back <= at + self._shift - self._last <= self._ahead:
            self._shift = self._last + self._usual - at
        self._last = at + self._shift
        if self._shift:
            packet.dts = None if packet.dts is None else packet.dts + self._shift
            packet.pts = None if packet.pts is None else packet.pts + self._shift


def packets_of(container: Any, stream: Any) -> Iterator[Any]:
    """Packets on one clock, up to where a file breaks off; the empty one at the end flushes the decoder."""
    clock = Clock(stream)
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets, None)
        except av.error.FFmpegError:
            return
        if packet is None:
            return
        if packet.size:
            clock.set(packet)
        yield packet


@dataclass(frozen=True)
class Timeline:
    """When the pictures of a clip are shown, known before anything is decoded."""

    stamps: list[int]
    """Of the pictures that are shown, rising, ticks of the stream."""
    base: float
    """Seconds of a tick."""
    length_s: float
    """From the first picture to the end of the last."""
    order: tuple[tuple[int, bool], ...] = ()
    """In the order of decoding: each picture's stamp, and whether the decoder begins anew with it; empty where the
    container does not tell that for sure."""

    @property
    def first_s(self) -> float:
        """When the first picture is shown, seconds."""
        return self.stamps[0] * self.base

    def taken(self, rate_hz: float) -> frozenset[int]:
        """The stamps of the pictures that are sampled."""
        taken = []
        next_tick = 0
        for pts in self.stamps:
            at = (pts - self.stamps[0]) * self.base
            if at >= next_tick / rate_hz - 1e-6:
                taken.append(pts)
                next_tick = int(at * rate_hz + 1e-6) + 1
        return frozenset(taken)

    def not_needed(self, taken: frozenset[int]) -> frozenset[int]:
        """The stamps of pictures after the last one taken before the decoder begins anew: nothing taken rests on them.

        Pictures that are shown before the new beginning but decoded after it may rest on what came before: if one of
        those is taken, all before it are needed.
        """
        starts = [n for n, (_, begins) in enumerate(self.order) if begins]
        left: set[int] = set()
        for start, end in itertools.pairwise([*starts, len(self.order)]):
            stamps = [stamp for stamp, _ in self.order[start:end]]
            wanted = [n for n, stamp in enumerate(stamps) if stamp in taken]
            after = self.order[end][0] if end < len(self.order) else None
            leading = after is not None and any(
                stamp < after and stamp in taken for stamp, _ in itertools.takewhile(_same_run, self.order[end + 1 :])
            )
            if not leading:
                left.update(stamps[wanted[-1] + 1 if wanted else 0 :])
        return frozenset(left)


def _same_run(one: tuple[int, bool]) -> bool:
    return not one[1]


INDEXED = frozenset(("mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm"))
"""Containers with an index, which can be read from the beginning again without opening them anew."""


def timeline_of(container: Any, stream: Any) -> Timeline | None:
    """Presentation times from the packets alone, without those that are not shown; None where packets carry none."""
    stamps: list[int] = []
    order: list[tuple[int, bool]] = []
    lasts = 0
    for packet in packets_of(container, stream):
        if packet.size and packet.pts is None:
            return None
        if packet.size:
            order.append((packet.pts, bool(packet.is_keyframe)))
        if packet.size and not packet.is_discard:
            stamps.append(packet.pts)
            lasts = packet.duration or lasts
    if not stamps:
        return None
    stamps.sort()
    base = float(stream.time_base)
    step = lasts or (stamps[-1] - stamps[0]) / max(1, len(stamps) - 1)
    indexed = container.format.name in INDEXED  # only there is a key picture known to be one to begin with
    return Timeline(stamps, base, (stamps[-1] - stamps[0] + step) * base, tuple(order) if indexed else ())
