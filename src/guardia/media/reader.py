"""Clips in: what a file is, when it began, and its pictures at exact times."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, BinaryIO
from zoneinfo import ZoneInfo

import av
import av.error
import numpy as np
from av.codec.context import Flags
from av.video.reformatter import Interpolation
from numpy.typing import NDArray

from guardia.core.base.errors import UnreadableClip
from guardia.core.base.words import count_of
from guardia.core.evidence.clock import resolve, time_in_name
from guardia.core.trace.measure import ANALYSIS_RATE_HZ, ANALYSIS_WIDTH_PX, GRID
from guardia.media.hardware import Hardware
from guardia.media.timeline import INDEXED, MP4, Timeline, packets_of, rate_of, timeline_of

MAX_SIDE_PX = 16384


@dataclass(frozen=True)
class ClipInfo:
    """What a video file says of itself."""

    width: int
    """Pixels across, as it is shown: turned and with square pixels."""
    height: int
    """Pixels down, likewise."""
    codec: str
    """FFmpeg's name of the codec."""
    duration_s: float
    """Length by the container; by the pictures where it does not say or cannot be trusted."""
    bytes: int
    """Size of the file."""
    created: datetime | None
    """Start by the container's metadata, aware, or None."""


@contextmanager
def open_video(path: Path, *, hardware: Hardware | None = None) -> Iterator[tuple[Any, Any]]:
    """Open a file and its first video stream.

    Args:
        path: Any file that FFmpeg reads.
        hardware: Decodes on this device what it was compared on, if it can be had; None for software.

    Yields:
        PyAV container and video stream.

    Raises:
        UnreadableClip: If there is no such file, it is empty, no video, has only sound, or is damaged.
    """
    skipped = "It was skipped; nothing else was affected."
    if not path.is_file():
        raise UnreadableClip(f"{path.name}: there is no such file.", kept=skipped)
    if path.stat().st_size == 0:
        raise UnreadableClip(f"{path.name} is empty (0 bytes).", kept=skipped, do="Copy it from the camera again.")
    source = _source(path)
    try:
        container = _opened(source, hardware)
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise UnreadableClip(
            f"{path.name} is not a video, or its beginning or its index is damaged.",
            kept=skipped,
            do="Play it elsewhere; if it plays, copy it from the camera again.",
        ) from error
    try:
        streams = [s for s in container.streams.video if not s.disposition & av.stream.Disposition.attached_pic]
        if not streams:
            raise UnreadableClip(f"{path.name} holds no moving picture, only sound or data.", kept=skipped)
        stream = streams[0]
        context = stream.codec_context
        if context is None:
            raise UnreadableClip(
                f"{path.name} is recorded by a codec that is not known here.",
                kept=skipped,
                do="Let the camera or its own player write it as H.264 or H.265, then import that file.",
            )
        if not 0 < context.width <= MAX_SIDE_PX or not 0 < context.height <= MAX_SIDE_PX:
            raise UnreadableClip(f"{path.name} names no usable picture size; it is damaged.", kept=skipped)
        yield container, stream
    except (av.error.FFmpegError, OSError) as error:
        raise UnreadableClip(f"{path.name} is damaged and cannot be decoded ({error}).", kept=skipped) from error
    finally:
        container.close()
        if not isinstance(source, str):
            source.close()


def _codec(stream: Any) -> str:
    """FFmpeg's name of what a stream is coded in, not of the library that decodes it: av1, not libdav1d."""
    return str(stream.codec_context.codec.canonical_name)


def _opened(source: str | BinaryIO, hardware: Hardware | None) -> Any:
    """PyAV's container; decoding by software where the device cannot be had, or takes no such stream."""
    if hardware is not None:
        with suppress(av.error.FFmpegError, OSError, RuntimeError):
            container = av.open(source, metadata_errors="replace", hwaccel=hardware.opener())
            if any(_codec(s) == hardware.codec for s in container.streams.video):
                return container
            container.close()
        if not isinstance(source, str):
            source.seek(0)
    return av.open(source, metadata_errors="replace")


def decodes_on(path: Path, hardware: Hardware) -> bool:
    """Whether a clip's stream really is decoded on a device; raises UnreadableClip as open_video()."""
    with open_video(path, hardware=hardware) as (_, stream):
        return bool(stream.codec_context.is_hwaccel)


def _source(path: Path) -> str | BinaryIO:
    """What FFmpeg is to open: an absolute path, since it takes a colon in a relative one for a protocol.

    A name that is no text is opened for it.
    """
    name = str(path.absolute())
    try:
        name.encode()
    except UnicodeEncodeError:
        return path.open("rb")
    return name


@dataclass(frozen=True)
class ShownPicture:
    """How pictures are shown: a stream may say that they lie on their side, or that its pixels are not square."""

    width: int
    """Pixels across when shown, square ones."""
    height: int
    """Pixels down, likewise."""
    turns: int
    """Quarter turns against the clock from the decoded picture."""

    def small(self, width_px: int) -> tuple[int, int]:
        """Width and height when scaled to a width; a narrower picture is not enlarged."""
        width = min(width_px, self.width)
        return width, max(1, round(self.height * width / self.width))


def _shown(stream: Any, frame: Any) -> ShownPicture:
    ratio = float(stream.sample_aspect_ratio or 1)
    width, height = max(1, round(frame.width * (ratio if 0.1 <= ratio <= 10 else 1.0))), frame.height
    turns = round(frame.rotation / 90) % 4
    return ShownPicture(height, width, turns) if turns % 2 else ShownPicture(width, height, turns)


def probe(path: Path) -> ClipInfo:
    """Read what a video file says of itself, and decode its first picture.

    Args:
        path: Any file that FFmpeg reads.

    Returns:
        Size, codec, length, start.

    Raises:
        UnreadableClip: As open_video, and if no picture can be decoded or pictures are too small.
    """
    with open_video(path) as (container, stream):
        duration = 0.0
        if container.format.name in INDEXED:
            if stream.duration and stream.time_base:
                duration = float(stream.duration * stream.time_base)
            elif container.duration:
                duration = container.duration / av.time_base
        frame = next((frame for _, frame in _decoded(container, stream, None, 1)), None)
        if frame is None:
            raise _undecodable(path)
        shown = _large_enough(path, _shown(stream, frame))
        created = _created(container.metadata) or _created(stream.metadata)
        codec = _codec(stream)
    return ClipInfo(shown.width, shown.height, codec, duration or pictures_length(path), path.stat().st_size, created)


def pictures_length(path: Path) -> float:
    """Length of a clip by its pictures, seconds; raises UnreadableClip as open_video."""
    with open_video(path) as (container, stream):
        timeline = timeline_of(container, stream)
        if timeline is not None:
            return timeline.length_s
    with open_video(path) as (container, stream):
        packets = sum(1 for packet in packets_of(container, stream) if packet.size)
        return packets / rate_of(stream)


def _undecodable(path: Path) -> UnreadableClip:
    return UnreadableClip(
        f"{path.name} is damaged: not one picture can be decoded.", kept="It was skipped; nothing else was affected."
    )


def _large_enough(path: Path, shown: ShownPicture) -> ShownPicture:
    """The same, if a grid can be laid over the picture; raises UnreadableClip otherwise."""
    width, height = shown.small(ANALYSIS_WIDTH_PX)
    if width < GRID.columns or height < GRID.rows:
        raise UnreadableClip(
            f"{path.name} has a picture of {shown.width} x {shown.height} pixels, too small to see anything move in.",
            kept="It was skipped; nothing else was affected.",
        )
    return shown


def frame_rate(path: Path) -> float:
    """Mean frames per second of a video by what the file says, 0 if it is silent; raises UnreadableClip."""
    with open_video(path) as (_, stream):
        return float(stream.average_rate or 0)


def _created(metadata: dict[str, str]) -> datetime | None:
    try:
        moment = datetime.fromisoformat(metadata.get("creation_time", ""))
    except ValueError:
        return None
    # Devices without a clock write their epoch (1904 or 1970).
    moment = moment if moment.tzinfo else moment.replace(tzinfo=UTC)
    return moment if moment.year >= 2000 else None


def clip_start(
    path: Path, info: ClipInfo, time_zone: ZoneInfo, pattern: str = "", *, behind: bool = True
) -> tuple[datetime, str]:
    """When a clip began and how that is known.

    Args:
        path: The file.
        info: From probe().
        time_zone: The site's.
        pattern: How the camera writes the time in file names, see core.clock.NAME_FORMS.
        behind: A number such as -0500 in the name is a shift from UTC.

    Returns:
        Aware start by the camera's clock, and 'file name', 'metadata' or 'file date' (the weakest: the file's own date
        less its length).
    """
    named = time_in_name(path.name, pattern, latest=datetime.now(UTC), behind=behind)
    if named is not None:
        return resolve(named, time_zone).moment, "file name"
    if info.created is not None:
        return info.created, "metadata"
    written = datetime.fromtimestamp(path.stat().st_mtime, UTC)
    return written - timedelta(seconds=info.duration_s), "file date"


@dataclass(frozen=True, eq=False)
class Pictures:
    """A block of sampled pictures."""

    times_s: NDArray[np.float64]
    """(F,) seconds from the clip's first picture."""
    luma: NDArray[np.uint8]
    """(F, H, W) uint8, W at most the analysis width."""
    length_s: float
    """Length of the whole clip by its pictures, as far as it is known by now."""
    notes: tuple[str, ...] = ()
    """What of the file cannot be read, in sentences; whole with the last block."""


def sampled_pictures(
    path: Path,
    *,
    rate_hz: float = ANALYSIS_RATE_HZ,
    width_px: int = ANALYSIS_WIDTH_PX,
    block_s: float | None = None,
    threads: int = 0,
    hardware: Hardware | None = None,
    each: Callable[[], object] = lambda: None,
) -> Iterator[Pictures]:
    """Decode a clip's pictures at the analysis rate and width.

    The pictures taken are the first at or after each tick of the rate, counted from the clip's first picture, by
    presentation time. Pictures that nothing refers to and that are not taken are not decoded. Where a file's times
    start again, as in files put end to end, they go on from there.

    Args:
        path: The file.
        rate_hz: Analysis rate.
        width_px: Analysis width; a narrower picture is not enlarged.
        block_s: Give pictures in blocks of this length, the last one half to one and a half of it; all in one when
            None.
        threads: Decoding threads, 0 for as many as there are cores.
        hardware: Where to decode, None for software.
        each: Called with each picture that is decoded; what it raises ends the work.

    Yields:
        In order of time. A file that breaks off gives what could be decoded.

    Raises:
        UnreadableClip: If not one picture can be decoded.
    """
    with open_video(path, hardware=hardware) as (container, stream):
        timeline = _looked_over(path, container, stream)
        taken = None if timeline is None else timeline.taken(rate_hz)
        shown: ShownPicture | None = None
        times: list[float] = []
        luma: list[NDArray[np.uint8]] = []
        origin: float | None = timeline.first_s if timeline else None
        length = timeline.length_s if timeline else 0.0
        notes = timeline.notes if timeline else _without_times(stream)
        next_tick = 0
        given = 0
        left = timeline.not_needed(taken) if timeline is not None and taken is not None else frozenset()
        for seconds, frame in _decoded(container, stream, taken, threads, left):
            each()
            if origin is None:
                origin = seconds
            if shown is None:
                shown = _large_enough(path, _shown(stream, frame))
            at = seconds - origin
            if timeline is None:
                length = max(length, at + 1 / rate_of(stream))
            if taken is None and at < next_tick / rate_hz - 1e-6:
                continue
            if taken is None:
                next_tick = int(at * rate_hz + 1e-6) + 1
            if times and at <= times[-1]:
                continue
            if block_s and times and at - times[0] >= 1.5 * block_s:
                cut = bisect_left(times, times[0] + block_s - 1e-9)
                yield Pictures(np.array(times[:cut]), np.stack(luma[:cut]), length, notes)
                given += cut
                times, luma = times[cut:], luma[cut:]
            times.append(at)
            luma.append(_small_luma(frame, shown, width_px))
        if times:
            lost = len(taken) - given - len(times) if taken is not None else 0
            if lost > 0:
                notes += (f"{lost} of {count_of(len(taken or ()), 'picture')} cannot be decoded: it is damaged there.",)
            yield Pictures(np.array(times), np.stack(luma), length, notes)
        elif not given:
            raise _undecodable(path)


def _without_times(stream: Any) -> tuple[str, ...]:
    return (f"Its pictures carry no times: they are read as {rate_of(stream):g} a second.",)


def _small_luma(frame: Any, shown: ShownPicture, width_px: int) -> NDArray[np.uint8]:
    width, height = shown.small(width_px)
    if shown.turns % 2:
        width, height = height, width
    # One thread: for so small a picture several cost more processor time than they save.
    small = frame.reformat(width=width, height=height, format="gray", interpolation=_SCALING, threads=1)
    plane = small.planes[0]
    rows = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
    turned: NDArray[np.uint8] = np.rot90(rows[:, :width], shown.turns).copy()
    return turned


_SCALING = Interpolation.AREA | Interpolation.ACCURATE_RND | Interpolation.BITEXACT
"""Without the last two FFmpeg rounds otherwise with each kind of processor's own instructions, and so would a trace."""


def _looked_over(path: Path, container: Any, stream: Any) -> Timeline | None:
    """The clip's timeline; leaves the container at its beginning."""
    if container.format.name == MP4:
        timeline = timeline_of(container, stream)
        container.seek(0)
        return timeline
    with open_video(path) as (another, its_stream):
        return timeline_of(another, its_stream)


def _decoded(
    container: Any, stream: Any, taken: frozenset[int] | None, threads: int, left: frozenset[int] = frozenset()
) -> Iterator[tuple[float, Any]]:
    """Decoded (seconds, frame) pairs; with `taken` only those, the others that nothing refers to left undecoded.

    Packets whose stamps are in `left` are not given to the decoder.
    """
    context = stream.codec_context
    stream.thread_type = "AUTO"
    context.thread_count = threads
    context.flags |= Flags.bitexact  # for decoders that have a faster way with other rounding
    base = float(stream.time_base)
    count = 0
    rate = rate_of(stream)
    for packet in packets_of(container, stream):
        if packet.pts in left:
            continue
        if taken is not None:
            context.skip_frame = "DEFAULT" if packet.pts is None or packet.pts in taken else "NONREF"
        try:
            frames = packet.decode()
        except av.error.FFmpegError:
            continue
        for frame in frames:
            count += 1
            pts = frame.pts if frame.pts is not None else frame.dts
            if taken is None:
                yield (pts * base if pts is not None else (count - 1) / rate), frame
            elif pts in taken:
                yield pts * base, frame


def pictures_at(path: Path, times_s: Sequence[float], *, width_px: int, threads: int = 0) -> list[NDArray[np.uint8]]:
    """Colour pictures of a clip near given times, all at once; as each_picture_at."""
    return list(each_picture_at(path, times_s, width_px=width_px, threads=threads))


def each_picture_at(
    path: Path, times_s: Sequence[float], *, width_px: int, threads: int = 0
) -> Iterator[NDArray[np.uint8]]:
    """Colour pictures of a clip near given times, one after another.

    Args:
        path: The file.
        times_s: Seconds from the clip's first picture, rising.
        width_px: Width of the pictures; a narrower one is not enlarged.
        threads: Decoding threads, 0 for as many as there are cores.

    Yields:
        One (H, W, 3) uint8 RGB picture per time: the first at or after it, else the last there is.

    Raises:
        UnreadableClip: If not one picture can be decoded.
    """
    with open_video(path) as (container, stream):
        timeline = _looked_over(path, container, stream)
        origin: float | None = timeline.first_s if timeline else None
        last: Any = None
        given = 0
        for seconds, frame in _decoded(container, stream, None, threads):
            origin = seconds if origin is None else origin
            last = frame
            while given < len(times_s) and seconds - origin >= times_s[given] - 1e-3:
                given += 1
                yield _colour(frame, _shown(stream, frame), width_px)
            if given == len(times_s):
                return
        if last is None:
            raise _undecodable(path)
        for _ in range(len(times_s) - given):
            yield _colour(last, _shown(stream, last), width_px)


def _colour(frame: Any, shown: ShownPicture, width_px: int) -> NDArray[np.uint8]:
    width, height = shown.small(width_px)
    if shown.turns % 2:
        width, height = height, width
    picture = frame.reformat(width=width, height=height, format="rgb24", interpolation=_SCALING).to_ndarray()
    return np.ascontiguousarray(np.rot90(picture, shown.turns))
