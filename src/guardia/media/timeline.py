"""When the pictures of a clip are shown and in which order they are decoded, known from its packets alone."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from guardia.core.base.words import count_of

USUAL_RATE = 25.0
"""Pictures per second where a stream without times does not tell its rate either."""

RESTART_S = 1.0
JUMP_S = 600.0
"""Times that fall back by more than the first or leap ahead by more than the second begin anew: FFmpeg gives files that
were put end to end the times of each."""


def rate_of(stream: Any) -> float:
    """Pictures per second of a stream whose packets carry no times: as it says itself, else the usual rate.

    Of a bare stream FFmpeg's mean rate is what it takes where nothing is known; what the stream says is its guess.
    """
    return float(stream.guessed_rate or stream.average_rate or USUAL_RATE)


class Clock:
    """Puts the packets of a stream on one clock that runs on where their times begin anew."""

    restarts = 0
    """So many times have its times begun anew until now."""

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
            self.restarts += 1
        self._last = at + self._shift
        if self._shift:
            packet.dts = None if packet.dts is None else packet.dts + self._shift
            packet.pts = None if packet.pts is None else packet.pts + self._shift


def packets_of(container: Any, stream: Any, clock: Clock | None = None) -> Iterator[Any]:
    """Packets on one clock, up to where a file breaks off; the empty one at the end flushes the decoder."""
    clock = clock or Clock(stream)
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
    notes: tuple[str, ...] = ()
    """What of the file these pictures are not, in sentences."""

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


MP4, MATROSKA = "mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm"

INDEXED = frozenset((MP4, MATROSKA))
"""Containers with an index: they say how long they are, and with which pictures a decoder can begin."""

SAY_LENGTH = frozenset((*INDEXED, "flv", "avi", "asf"))
"""Containers whose header says how long the recording is; of others FFmpeg guesses it."""

UNREAD_SHARE, UNREAD_BYTES = 0.25, 50_000
"""So much of a file after its last picture is told; less is its index."""

SHORT_S, SHORT_SHARE = 1.0, 0.05
"""A recording that differs by more from what its header says is told: of a good file the last picture's length may."""

GAP_S = 10.0
"""A step from picture to picture that is longer, and ten times the usual one, is told."""


def timeline_of(container: Any, stream: Any) -> Timeline | None:
    """Presentation times from the packets alone, without those that are not shown; None where packets carry none."""
    stamps: list[int] = []
    order: list[tuple[int, bool]] = []
    lasts = end_byte = 0
    clock = Clock(stream)
    for packet in packets_of(container, stream, clock):
        if packet.size and packet.pts is None:
            return None
        if packet.size:
            order.append((packet.pts, bool(packet.is_keyframe)))
            end_byte = max(end_byte, (packet.pos or 0) + packet.size)
        if packet.size and not packet.is_discard:
            stamps.append(packet.pts)
            lasts = packet.duration or lasts
    if not stamps:
        return None
    stamps.sort()
    base = float(stream.time_base)
    step = lasts or (stamps[-1] - stamps[0]) / max(1, len(stamps) - 1)
    indexed = container.format.name in INDEXED  # only there is a key picture known to be one to begin with
    length_s = (stamps[-1] - stamps[0] + step) * base
    notes = (
        *_joined(clock.restarts, _unread(container.size, end_byte)),
        *_cut(length_s, _said_s(container, stream) if not clock.restarts else 0.0),
        *_gap(np.diff(np.array(stamps)) * base, (np.array(stamps) - stamps[0]) * base),
    )
    return Timeline(stamps, base, length_s, tuple(order) if indexed else (), notes)


def _said_s(container: Any, stream: Any) -> float:
    """The length that the header says, seconds; 0 where it says none."""
    if container.format.name not in SAY_LENGTH:
        return 0.0
    if stream.duration and stream.time_base:
        return float(stream.duration * stream.time_base)
    return (container.duration or 0) / av.time_base


def _unread(size: int, end_byte: int) -> float:
    """The share of a file that lies after its last picture, 0 where that is as it should be, or not known."""
    after = size - end_byte
    return after / size if end_byte and after > max(UNREAD_BYTES, UNREAD_SHARE * size) else 0.0


def _joined(restarts: int, unread: float) -> Iterator[str]:
    if unread:
        yield (
            f"The last {unread:.0%} of the file hold no picture that can be read. If recordings are joined in it, only "
            "the first is read."
        )
    elif restarts:
        yield (
            f"{restarts + 1} recordings are joined in it. They are read one after another; how much time lay between "
            "them is not known."
        )


def _cut(length_s: float, said_s: float) -> Iterator[str]:
    if said_s and abs(said_s - length_s) > max(SHORT_S, SHORT_SHARE * said_s):
        why = "it may be cut short" if length_s < said_s else "recordings may be joined in it"
        yield f"Its header says {said_s:.1f} s, and {length_s:.1f} s can be read: {why}."


def _gap(steps_s: NDArray[np.float64], at_s: NDArray[np.float64]) -> Iterator[str]:
    if not len(steps_s):
        return
    long = np.flatnonzero(steps_s > max(GAP_S, 10 * float(np.median(steps_s))))
    if len(long):
        more = f" and {count_of(len(long) - 1, 'more gap')}" if len(long) > 1 else ""
        yield f"There is no picture for {steps_s[long[0]]:.0f} s after {at_s[long[0]]:.0f} s{more}."
