"""From a video file to its trace, its background and its key pictures."""

from __future__ import annotations

import io
import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image, ImageFilter

from guardia.core.base.errors import UnreadableClip
from guardia.core.trace.measure import (
    ANALYSIS_RATE_HZ,
    BACKGROUND_BLOCK_S,
    Grid,
    Help,
    Trace,
    clip_background,
    helped_background,
    join_traces,
    measure,
    snapshot_background,
    sparse_trace,
)
from guardia.core.trace.stack import FILL_BYTE, TraceStack
from guardia.core.view.geometry import ViewGeometry
from guardia.core.view.tracks import Track, boxes_of, farthest_walk, follow
from guardia.core.view.walk_look import WalkLook, look_rows, walk_look
from guardia.media.hardware import Hardware, check_device
from guardia.media.reader import decodes_on, each_picture_at, pictures_at, probe, sampled_pictures

KEY_PICTURES = 5
KEY_WIDTH_PX = 208
VIEW_PICTURES = 15

FINE_WIDTH_PX = 640
FINE_GRID = (128, 72)
FINE_JOIN = 2
FINE_LEVEL = 2
"""Index of the contrast level by which a person is followed on the fine grid."""


@dataclass(frozen=True, eq=False)
class Analysis:
    """What is kept of a clip."""

    trace: Trace
    """The measurements that all scoring works on."""
    background: NDArray[np.uint8]
    """(H, W) uint8 luma of the still scene by this clip alone, at the analysis width."""
    length_s: float
    """Length of the clip by its pictures, 0 for a single picture."""
    notes: tuple[str, ...] = ()
    """What of the file cannot be read, in sentences."""


def analyse_clip(
    path: Path,
    *,
    help_: Help | None = None,
    cancelled: Callable[[], bool] = lambda: False,
    threads: int = 0,
    hardware: Hardware | None = None,
    each: Callable[[], object] = lambda: None,
) -> Analysis:
    """Measure a clip once.

    Args:
        path: Any file that FFmpeg reads.
        help_: What the same camera's other clips of that hour say of what stays put.
        cancelled: Asked between blocks; True ends the work with what was measured until then.
        threads: Decoding threads, 0 for as many as there are cores.
        hardware: Where to decode, None for software.
        each: Called with each picture that is decoded; what it raises ends the work.

    Returns:
        Trace and background.

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    parts: list[Trace] = []
    backgrounds = []
    length_s = 0.0
    notes: tuple[str, ...] = ()
    for block in sampled_pictures(path, block_s=BACKGROUND_BLOCK_S, threads=threads, hardware=hardware, each=each):
        own = clip_background(block.luma)
        background = own
        if help_ is not None and help_.differs.shape == own.shape:
            background = helped_background(own, block.luma, help_)
        parts.append(sparse_trace(block.times_s, measure(block.luma, background)))
        backgrounds.append(own)
        length_s, notes = block.length_s, block.notes
        if cancelled():
            break
    return Analysis(join_traces(parts), clip_background(np.stack(backgrounds)), length_s, notes)


def compared(path: Path, device: str) -> tuple[Hardware | None, str]:
    """Decode a clip on a device and by software, and hold the traces against each other.

    Args:
        path: A clip like those that are to be measured.
        device: FFmpeg's name of the kind of device.

    Returns:
        The device, None where clips are to be decoded by software; and what came of it, in a sentence.

    Raises:
        InvalidValue: If FFmpeg does not know such a device.
        UnreadableClip: If the clip cannot be used.
    """
    check_device(device)
    hardware = Hardware(device, probe(path).codec)
    if not decodes_on(path, hardware):
        return None, f"'{device}' does not decode {hardware.codec} on this machine: clips are decoded by software."
    plain, other = analyse_clip(path).trace, analyse_clip(path, hardware=hardware).trace
    same = np.array_equal(plain.times_s, other.times_s) and np.array_equal(plain.dense(), other.dense())
    if not same:
        return None, (
            f"'{device}' decodes {hardware.codec} differently than software does, and traces would differ: clips are "
            "decoded by software."
        )
    return hardware, f"{hardware.codec} is decoded on '{device}': the trace of {path.name} is the same as by software."


def fine_tracks(path: Path, *, stopped: Callable[[], bool] = lambda: False) -> list[Track]:
    """Follow what moves in a clip on a grid four times as fine as that of a trace, to see where it stands and ends.

    Args:
        path: Any file that FFmpeg reads.
        stopped: Asked between blocks; True ends the work with what was found until then.

    Returns:
        In order of their beginning.

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    times: list[NDArray[np.float64]] = []
    boxes: list[NDArray[np.float64]] = []
    for block in sampled_pictures(path, width_px=FINE_WIDTH_PX, block_s=BACKGROUND_BLOCK_S):
        grid = Grid(*(min(fine, size) for fine, size in zip(FINE_GRID, block.luma.shape[:0:-1], strict=True)))
        changed = measure(block.luma, clip_background(block.luma), grid=grid)
        times.append(block.times_s)
        boxes += [boxes_of(picture >= FILL_BYTE, join=FINE_JOIN) for picture in changed[..., FINE_LEVEL]]
        if stopped():
            break
    return follow(np.concatenate(times), boxes) if times else []


def look_at_walk(
    path: Path, view: ViewGeometry | None, *, stopped: Callable[[], bool] = lambda: False
) -> WalkLook | None:
    """Follow who walks through a clip and look at its picture at several moments; None where nobody is followed.

    Args:
        path: Any file that FFmpeg reads.
        view: Height, tilt and lens of the camera, None while not known.
        stopped: Asked between blocks; True ends the work with what was found until then.

    Returns:
        Distances, pixels a metre, sharpness.

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    track = farthest_walk(fine_tracks(path, stopped=stopped))
    if track is None or stopped():
        return None
    rows = look_rows(track)
    pictures = pictures_at(path, [float(track.times_s[row]) for row in rows], width_px=probe(path).width)
    return walk_look(track, rows[: len(pictures)], pictures, view)


def analyse_snapshot(path: Path, others: Sequence[NDArray[np.uint8]]) -> Analysis:
    """Measure a single picture against other pictures of the same camera.

    Args:
        path: A still picture that FFmpeg reads.
        others: (H, W) uint8 luma at the analysis width, of the camera's other pictures of that hour.

    Returns:
        Trace of one picture at 0 s, and the background it was held against.

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    luma = still_luma(path)
    background = snapshot_background(luma, list(others))
    return Analysis(sparse_trace(np.zeros(1), measure(luma[None], background)), luma, 0.0)


def still_luma(path: Path) -> NDArray[np.uint8]:
    """First picture of a file as (H, W) uint8 luma at the analysis width; raises UnreadableClip as analyse_clip."""
    luma: NDArray[np.uint8] = next(iter(sampled_pictures(path, block_s=BACKGROUND_BLOCK_S, threads=1))).luma[0]
    return luma


def key_times(trace: Trace, start_s: float, end_s: float, *, contrast: int) -> list[float]:
    """Times of an occurrence's key pictures: in each of KEY_PICTURES equal parts, where the motion is largest.

    Args:
        trace: The clip's trace.
        start_s: Beginning of the occurrence.
        end_s: Its end.
        contrast: One of the contrast levels.

    Returns:
        KEY_PICTURES seconds on the clip's clock, rising.
    """
    stack = TraceStack([trace])
    sizes = stack.sizes(np.ones((trace.rows, trace.columns), bool), contrast=contrast)
    edges = np.linspace(start_s, max(end_s, start_s + 0.1), KEY_PICTURES + 1)
    result = []
    for low, high in itertools.pairwise(edges):
        inside = np.flatnonzero((trace.times_s >= low) & (trace.times_s < high))
        result.append(float(trace.times_s[inside[np.argmax(sizes[inside])]]) if len(inside) else float(low))
    return result


def key_pictures(path: Path, times_s: Sequence[float], *, threads: int = 0) -> bytes:
    """The key pictures of an occurrence side by side, as one JPEG.

    Args:
        path: The clip.
        times_s: Seconds on the clip's clock, rising.
        threads: Decoding threads, 0 for as many as there are cores.

    Returns:
        JPEG of len(times_s) pictures of KEY_WIDTH_PX each (narrower clips are not enlarged).

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    return encode_jpeg(np.concatenate(pictures_at(path, times_s, width_px=KEY_WIDTH_PX, threads=threads), axis=1))


def moving_pictures(
    path: Path, start_s: float, end_s: float, *, width_px: int, stopped: Callable[[], bool] = lambda: False
) -> list[tuple[float, bytes]]:
    """The sampled pictures of a stretch of a clip, in colour, for looking at it.

    Args:
        path: The clip.
        start_s: Beginning on the clip's clock.
        end_s: End likewise.
        width_px: Width of the pictures; a narrower one is not enlarged.
        stopped: Asked now and then; True gives what there is until then.

    Returns:
        (seconds on the clip's clock, JPEG), ANALYSIS_RATE_HZ per second.

    Raises:
        UnreadableClip: If the file cannot be used.
    """
    count = max(1, round((end_s - start_s) * ANALYSIS_RATE_HZ))
    times = [start_s + n / ANALYSIS_RATE_HZ for n in range(count)]
    pictures: list[tuple[float, bytes]] = []
    for at, picture in zip(times, each_picture_at(path, times, width_px=width_px), strict=False):
        if stopped():
            break
        pictures.append((at, encode_jpeg(picture, quality=80)))
    return pictures


def decode_grey(jpeg: bytes) -> NDArray[np.uint8]:
    """Decode a JPEG to (H, W) uint8, grey; raises UnreadableClip for a damaged one."""
    try:
        return np.array(_still(jpeg).convert("L"))
    except (OSError, ValueError, SyntaxError) as error:
        raise UnreadableClip(f"A kept picture is damaged ({error}).") from error


BLUR_PX = 18
"""Radius of the blur in a picture of 640 pixels: no face or coat is told any more."""


def still_of(path: Path, at_s: float, blur: Trace | None, *, width_px: int) -> bytes:
    """One picture of a clip; with a trace, wherever something moved in that clip is blurred.

    Args:
        path: The clip.
        at_s: Moment on the clip's clock.
        blur: What moved in the clip, None to blur nothing.
        width_px: Width of the picture.

    Returns:
        JPEG.

    Raises:
        UnreadableClip: If the clip cannot be read.
    """
    pictures = pictures_at(path, [at_s], width_px=width_px)
    if not pictures:
        raise UnreadableClip(f"{path.name} shows nothing at {at_s:.1f} s.")
    picture = Image.fromarray(pictures[0])
    if blur is not None:
        moved = np.zeros(blur.rows * blur.columns, np.uint8)
        moved[np.unique(blur.cell)] = 255
        # A cell more to each side: an arm that reaches out of a cell by less than shows is hidden, too.
        grown = scipy.ndimage.maximum_filter(moved.reshape(blur.rows, blur.columns), 3)
        mask = Image.fromarray(grown).resize(picture.size, Image.Resampling.NEAREST)
        radius = BLUR_PX * picture.width / 640
        picture.paste(picture.filter(ImageFilter.GaussianBlur(radius)), (0, 0), mask)
    return encode_jpeg(np.asarray(picture), quality=78)


MOST_PIXELS = 100_000_000
"""A kept picture that claims more was not made by this program."""


def _still(jpeg: bytes) -> Image.Image:
    """A picture that the project keeps, its size looked at before it is decoded; raises OSError for one too large."""
    try:
        picture = Image.open(io.BytesIO(jpeg))
    except Image.DecompressionBombError as error:
        raise OSError(str(error)) from error
    if picture.width * picture.height > MOST_PIXELS:
        raise OSError(f"a picture of {picture.width} x {picture.height} pixels is too large")
    return picture


def encode_jpeg(picture: NDArray[np.uint8], *, quality: int = 62) -> bytes:
    """Encode an (H, W, 3) RGB or (H, W) grey picture."""
    out = io.BytesIO()
    Image.fromarray(picture).save(out, "JPEG", quality=quality)
    return out.getvalue()


NIGHT_GAMMA = 0.6
"""Dark pictures are brightened by this power for the eye; nothing is measured on them."""


def lifted(jpeg: bytes) -> bytes:
    """A dark JPEG brightened for the eye; what cannot be read comes back as it is."""
    try:
        picture = _still(jpeg).convert("RGB")
    except OSError:
        return jpeg
    table = [round(255 * (value / 255) ** NIGHT_GAMMA) for value in range(256)]
    return encode_jpeg(np.asarray(picture.point(table * 3)), quality=80)


def clean_view(clips: Sequence[tuple[Path, float]], *, width_px: int = 960) -> bytes:
    """A background picture without what moves, from pictures of many clips or many moments of a few.

    Args:
        clips: Clips of one camera in like light, each with its duration in seconds.
        width_px: Width of the result at most.

    Returns:
        JPEG.

    Raises:
        UnreadableClip: If not one of the clips can be used.
    """
    each = -(-VIEW_PICTURES // max(1, len(clips)))
    pictures: list[NDArray[np.uint8]] = []
    for path, duration in clips:
        pictures += pictures_at(path, [duration * n / each for n in range(each)], width_px=width_px)
    alike = [p for p in pictures if p.shape == pictures[0].shape]
    return encode_jpeg(np.median(np.stack(alike), axis=0).astype(np.uint8), quality=88)
