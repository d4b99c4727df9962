"""Clips in: what a file is, when it began, and its pictures at exact times."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import av
import av.error
import numpy as np
from numpy.typing import NDArray

from guardia.core.clock import resolve, time_in_name
from guardia.core.errors import UnreadableClip
from guardia.core.trace import ANALYSIS_RATE_HZ, ANALYSIS_WIDTH_PX, GRID_COLUMNS, GRID_ROWS

MAX_SIDE_PX = 16384


@dataclass(frozen=True)
class ClipInfo:
    """What a video file says of itself.

    Parameters
    ----------
    width
        Pixels across.
    height
        Pixels down.
    codec
        FFmpeg's name of the codec.
    duration_s
        Length by the container, 0 when it does not say.
    bytes
        Size of the file.
    created
        Start by the container's metadata, aware, or None.
    """

    width: int
    height: int
    codec: str
    duration_s: float
    bytes: int
    created: datetime | None


@contextmanager
def open_video(path: Path) -> Iterator[tuple[Any, Any]]:
    """Open a file and its first video stream.

    Parameters
    ----------
    path
        Any file that FFmpeg reads.

    Yields
    ------
    tuple[Any, Any]
        PyAV container and video stream.

    Raises
    ------
    UnreadableClip
        If there is no such file, it is empty, no video, has only sound, or is damaged.
    """
    skipped = "It was skipped; nothing else was affected."
    if not path.is_file():
        raise UnreadableClip(f"{path.name}: there is no such file.", kept=skipped)
    if path.stat().st_size == 0:
        raise UnreadableClip(f"{path.name} is empty (0 bytes).", kept=skipped, do="Copy it from the camera again.")
    try:
        container = av.open(str(path), metadata_errors="replace")
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
        if not 0 < context.width <= MAX_SIDE_PX or not 0 < context.height <= MAX_SIDE_PX:
            raise UnreadableClip(f"{path.name} names no usable picture size; it is damaged.", kept=skipped)
        yield container, stream
    except (av.error.FFmpegError, OSError) as error:
        raise UnreadableClip(f"{path.name} is damaged and cannot be decoded ({error}).", kept=skipped) from error
    finally:
        container.close()


def probe(path: Path) -> ClipInfo:
    """Read what a video file says of itself, without decoding.

    Parameters
    ----------
    path
        Any file that FFmpeg reads.

    Returns
    -------
    ClipInfo
        Size, codec, length, start.

    Raises
    ------
    UnreadableClip
        As open_video.
    """
    with open_video(path) as (container, stream):
        duration = 0.0
        if stream.duration and stream.time_base:
            duration = float(stream.duration * stream.time_base)
        elif container.duration:
            duration = container.duration / av.time_base
        context = stream.codec_context
        created = _created(container.metadata) or _created(stream.metadata)
        return ClipInfo(context.width, context.height, context.name, duration, path.stat().st_size, created)


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


def clip_start(path: Path, info: ClipInfo, time_zone: ZoneInfo, pattern: str = "") -> tuple[datetime, str]:
    """When a clip began and how that is known.

    Parameters
    ----------
    path
        The file.
    info
        From probe().
    time_zone
        The site's.
    pattern
        How the camera writes the time in file names, see core.clock.NAME_FORMS.

    Returns
    -------
    tuple[datetime, str]
        Aware start by the camera's clock, and 'file name', 'metadata' or 'file date' (the weakest: the file's own date
        less its length).
    """
    named = time_in_name(path.name, pattern)
    if named is not None:
        return resolve(named, time_zone).moment, "file name"
    if info.created is not None:
        return info.created, "metadata"
    written = datetime.fromtimestamp(path.stat().st_mtime, UTC)
    return written - timedelta(seconds=info.duration_s), "file date"


@dataclass(frozen=True, eq=False)
class Pictures:
    """A block of sampled pictures.

    Parameters
    ----------
    times_s
        (F,) seconds from the clip's first picture.
    luma
        (F, H, W) uint8, W at most the analysis width.
    """

    times_s: NDArray[np.float64]
    luma: NDArray[np.uint8]


def sampled_pictures(
    path: Path,
    *,
    rate_hz: float = ANALYSIS_RATE_HZ,
    width_px: int = ANALYSIS_WIDTH_PX,
    block_s: float | None = None,
    threads: int = 0,
) -> Iterator[Pictures]:
    """Decode a clip's pictures at the analysis rate and width.

    The pictures taken are the first at or after each tick of the rate, counted from the clip's first picture, by
    presentation time. Pictures that nothing refers to and that are not taken are not decoded.

    Parameters
    ----------
    path
        The file.
    rate_hz
        Analysis rate.
    width_px
        Analysis width; a narrower picture is not enlarged.
    block_s
        Give pictures in blocks of about this length; all in one when None.
    threads
        Decoding threads, 0 for as many as there are cores.

    Yields
    ------
    Pictures
        In order of time. A file that breaks off gives what could be decoded.

    Raises
    ------
    UnreadableClip
        If not one picture can be decoded.
    """
    with open_video(path) as (container, stream):
        taken = _chosen(path, container, stream, rate_hz)
        width = min(width_px, stream.codec_context.width)
        height = max(1, round(stream.codec_context.height * width / stream.codec_context.width))
        if width < GRID_COLUMNS or height < GRID_ROWS:
            raise UnreadableClip(
                f"{path.name} has a picture of {width} x {height} pixels, too small to see anything move in.",
                kept="It was skipped; nothing else was affected.",
            )
        times: list[float] = []
        luma: list[NDArray[np.uint8]] = []
        origin: float | None = taken.first_s if taken else None
        next_tick = 0
        given = False
        for seconds, frame in _decoded(container, stream, taken, threads):
            if origin is None:
                origin = seconds
            at = seconds - origin
            if taken is None and at < next_tick / rate_hz - 1e-6:
                continue
            if taken is None:
                next_tick = int(at * rate_hz + 1e-6) + 1
            if times and at <= times[-1]:
                continue
            if block_s and times and at - times[0] >= block_s:
                yield Pictures(np.array(times), np.stack(luma))
                given = True
                times, luma = [], []
            times.append(at)
            luma.append(_small_luma(frame, width, height))
        if times:
            yield Pictures(np.array(times), np.stack(luma))
        elif not given:
            raise UnreadableClip(
                f"{path.name} is damaged: not one picture can be decoded.",
                kept="It was skipped; nothing else was affected.",
            )


def _small_luma(frame: Any, width: int, height: int) -> NDArray[np.uint8]:
    # One thread: for so small a picture several cost more processor time than they save.
    small = frame.reformat(width=width, height=height, format="gray", interpolation="AREA", threads=1)
    plane = small.planes[0]
    rows = np.frombuffer(plane, np.uint8).reshape(plane.height, plane.line_size)
    return rows[:, :width].copy()


@dataclass(frozen=True)
class _Taken:
    """Which presentation times (in stream ticks) are sampled, known before anything is decoded."""

    pts: frozenset[int]
    first_s: float


_REWINDS = frozenset(("mov,mp4,m4a,3gp,3g2,mj2", "matroska,webm"))
"""Containers with an index, which can be read from the beginning again without opening them anew."""


def _chosen(path: Path, container: Any, stream: Any, rate_hz: float) -> _Taken | None:
    """Choose the pictures from the packets alone; None where packets carry no presentation times.

    Leaves the container at its beginning.
    """
    if container.format.name in _REWINDS:
        stamps = _stamps(container, stream)
        container.seek(0)
    else:
        with open_video(path) as (another, its_stream):
            stamps = _stamps(another, its_stream)
    if not stamps:
        return None
    stamps.sort()
    base = float(stream.time_base)
    first = stamps[0]
    taken = []
    next_tick = 0
    for pts in stamps:
        at = (pts - first) * base
        if at >= next_tick / rate_hz - 1e-6:
            taken.append(pts)
            next_tick = int(at * rate_hz + 1e-6) + 1
    return _Taken(frozenset(taken), first * base)


def _stamps(container: Any, stream: Any) -> list[int]:
    """Presentation times of all packets, in stream ticks, up to where a file breaks off; empty where one has none."""
    stamps: list[int] = []
    try:
        for packet in container.demux(stream):
            if packet.size and packet.pts is None:
                return []
            if packet.size:
                stamps.append(packet.pts)
    except av.error.FFmpegError:
        pass
    return stamps


def _decoded(container: Any, stream: Any, taken: _Taken | None, threads: int) -> Iterator[tuple[float, Any]]:
    """Decoded (seconds, frame) pairs; with `taken` only those, the others that nothing refers to left undecoded."""
    context = stream.codec_context
    stream.thread_type = "AUTO"
    context.thread_count = threads
    base = float(stream.time_base)
    count = 0
    rate = float(stream.average_rate or 25)
    packets = container.demux(stream)
    while True:
        try:
            packet = next(packets, None)
            if packet is None:
                return
            if taken is not None:
                context.skip_frame = "DEFAULT" if packet.pts is None or packet.pts in taken.pts else "NONREF"
            frames = packet.decode()
        except av.error.FFmpegError:
            if count == 0 and packet is None:
                return
            continue
        for frame in frames:
            count += 1
            pts = frame.pts if frame.pts is not None else frame.dts
            if taken is None:
                yield (pts * base if pts is not None else (count - 1) / rate), frame
            elif pts in taken.pts:
                yield pts * base, frame


def pictures_at(path: Path, times_s: Sequence[float], *, width_px: int, threads: int = 0) -> list[NDArray[np.uint8]]:
    """Colour pictures of a clip near given times, all at once; as each_picture_at."""
    return list(each_picture_at(path, times_s, width_px=width_px, threads=threads))


def each_picture_at(
    path: Path, times_s: Sequence[float], *, width_px: int, threads: int = 0
) -> Iterator[NDArray[np.uint8]]:
    """Colour pictures of a clip near given times, one after another.

    Parameters
    ----------
    path
        The file.
    times_s
        Seconds from the clip's first picture, rising.
    width_px
        Width of the pictures; a narrower one is not enlarged.
    threads
        Decoding threads, 0 for as many as there are cores.

    Yields
    ------
    NDArray[np.uint8]
        One (H, W, 3) uint8 RGB picture per time: the first at or after it, else the last there is.

    Raises
    ------
    UnreadableClip
        If not one picture can be decoded.
    """
    with open_video(path) as (container, stream):
        width = min(width_px, stream.codec_context.width)
        height = max(1, round(stream.codec_context.height * width / stream.codec_context.width))
        origin: float | None = None
        last: Any = None
        given = 0
        for seconds, frame in _decoded(container, stream, None, threads):
            origin = seconds if origin is None else origin
            last = frame
            while given < len(times_s) and seconds - origin >= times_s[given] - 1e-3:
                given += 1
                yield _colour(frame, width, height)
            if given == len(times_s):
                return
        if last is None:
            raise UnreadableClip(f"{path.name} is damaged: not one picture can be decoded.")
        for _ in range(len(times_s) - given):
            yield _colour(last, width, height)


def _colour(frame: Any, width: int, height: int) -> NDArray[np.uint8]:
    picture: NDArray[np.uint8] = frame.reformat(
        width=width, height=height, format="rgb24", interpolation="AREA"
    ).to_ndarray()
    return picture
