"""The simulated camera: renders its picture, decides by code of its own, and records H.264 files.

Its decision code is not the motion model's: a running background in every picture, a blurred difference, connected
areas of pixels. The technician's settings are told to it in the make's words; what they do inside differs a little
from what the capability file says, as it does with real makes.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from guardia.benchcam.actors import Actor, lamp
from guardia.benchcam.raster import Raster
from guardia.benchcam.scene import HEIGHT, WIDTH, Light, Picture, Still
from guardia.benchcam.weather import Nudge
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.make.zones import BlockZone, ZoneDoes, ZoneKind

RATE_HZ = 10
FOOTAGE_HZ = 5
"""Pictures a second of what is recorded whatever happens."""

KEY_EVERY_S = 12
"""From one whole picture to the next; a still scene costs little between them."""

LONGEST_S = 20.0
"""A recording that lasts as long as it moves is cut here."""

_EVERY = 4
"""It decides by every fourth pixel across and down."""

_DECISION_WIDTH, _DECISION_HEIGHT = WIDTH // _EVERY, HEIGHT // _EVERY


def lit(still: Still, light: Light, *, level: float = 1.0) -> Picture:
    """The still scene in a light.

    Args:
        still: The scene by day.
        light: Day, dusk or infrared night.
        level: Brightness of the day or dusk.

    Returns:
        (H, W, 3) float32, 0..255.
    """
    if light is Light.NIGHT:
        grey = still.colour @ np.array([0.42, 0.4, 0.18], np.float32)
        row, col = np.mgrid[0:HEIGHT, 0:WIDTH].astype(np.float32)
        beam = np.exp(-(((col - WIDTH / 2) / 330) ** 2) - (((row - 210) / 230) ** 2))
        back = grey * lamp(still.distance_m) * beam * (1 - 0.75 * still.water) + 7
        return np.repeat(back[..., None], 3, axis=2).astype(np.float32)
    if light is Light.DUSK:
        return (still.colour * np.array([0.5, 0.46, 0.5], np.float32) * level).astype(np.float32)
    return (still.colour * level).astype(np.float32)


class View:
    """Renders the camera's pictures."""

    def __init__(
        self, base: Picture, actors: Sequence[Actor], light: Light, seed: int, *, mirrored: bool = False
    ) -> None:
        self._base = base
        self._mirrored = mirrored
        self._actors = actors
        self._night = light is Light.NIGHT
        self._seed = seed
        sigma = {Light.DAY: 1.3, Light.DUSK: 2.4, Light.NIGHT: 3.8}[light]
        noise = np.random.default_rng(seed).normal(0, sigma, (HEIGHT * 2, WIDTH * 2)).astype(np.float32)
        self._noise = np.repeat(noise, 3, axis=1).reshape(*noise.shape, 3)  # as the pictures: added much faster so

    def picture(self, at_s: float) -> NDArray[np.uint8]:
        """The camera's picture at a moment: (H, W, 3) uint8."""
        return self._drawn(at_s, 1)

    def coarse(self, at_s: float) -> NDArray[np.uint8]:
        """What the camera decides by at a moment: every fourth pixel of its picture, (H / 4, W / 4, 3) uint8."""
        whole = any(isinstance(actor, Nudge) and actor.shifts(at_s) for actor in self._actors)
        drawn = self._drawn(at_s, 1 if whole else _EVERY)
        return drawn[::_EVERY, ::_EVERY] if whole else drawn[:, ::_EVERY]

    def _drawn(self, at_s: float, step: int) -> NDArray[np.uint8]:
        picture = Raster(self._base[::step].copy(), step)
        for actor in self._actors:
            actor.draw(picture, at_s, night=self._night)
        # The noise is that of the moment, in whatever order the pictures are asked for.
        row, col = np.random.default_rng((self._seed, round(at_s * 1000) % 2**32)).integers(0, (HEIGHT, WIDTH))
        pixels = picture.pixels
        pixels += self._noise[row : row + HEIGHT : step, col : col + WIDTH]
        seen = np.clip(pixels, 0, 255, out=pixels).astype(np.uint8)
        return np.ascontiguousarray(seen[:, ::-1]) if self._mirrored else seen


def smoothed(coarse: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Luma of every fourth pixel (H / 4, W / 4, 3), its noise smoothed over three by three of them."""
    grey = coarse.astype(np.float32) @ np.array([0.3, 0.59, 0.11], np.float32)
    small: NDArray[np.float32] = scipy.ndimage.uniform_filter(grey, 3)
    return small


class Decider:
    """The camera's own motion detection.

    Args:
        settings: What the camera was told.
        capability: The make.
        night: It sees by its infrared lamp.
        truth_factor: How this very camera's size thresholds differ from the make's nominal ones.
        alerting: It decides whether to alert, else whether to record.
        sees: The class that it believes to see at a moment, for zones that hold for some classes.
    """

    def __init__(
        self, settings: Settings, capability: Capability, *, night: bool = False, truth_factor: float = 1.12,
        alerting: bool = False, sees: Callable[[float], str] = lambda _at: "",
    ) -> None:  # fmt: skip
        self._sees = sees
        self._parts = [
            (contrast, share * truth_factor * _DECISION_WIDTH * _DECISION_HEIGHT, zone, classes)
            for contrast, share, zone, classes in _zones(settings, capability, night=night, alerting=alerting)
        ]
        self._masked = _painted(settings, ZoneKind.MASK)
        self._zone_test = capability.zone_test
        self._hold = settings.detection.hold_s
        self._on = settings.detection.detection_on
        self._background: NDArray[np.float32] | None = None
        self._since: float | None = None
        self.moving = False

    def triggered(self, picture: NDArray[np.uint8], at_s: float) -> bool:
        """Take in the next picture and say whether motion has lasted long enough."""
        return self.triggered_by(smoothed(picture[::_EVERY, ::_EVERY]), at_s)

    def triggered_by(self, small: NDArray[np.float32], at_s: float) -> bool:
        """The same for a picture that smoothed() gave."""
        if self._background is None:
            self._background = small.copy()
        difference = np.abs(small - self._background)
        self._background += 0.03 * (small - self._background)
        self.moving = self._on and any(
            self._large(difference > contrast, zone, least) and (not classes or self._sees(at_s) in classes)
            for contrast, least, zone, classes in self._parts
        )
        if not self.moving:
            self._since = None
            return False
        if self._since is None:
            self._since = at_s
        return at_s - self._since >= self._hold - 1e-6

    def _large(self, moved: NDArray[np.bool_], zone: NDArray[np.bool_], least: float) -> bool:
        """Whether something large enough moved in the zone, by this make's test."""
        moved = moved & ~self._masked
        if self._zone_test == "pixels":
            moved = moved & zone
        areas, count = scipy.ndimage.label(moved)
        if not count:
            return False
        large = np.flatnonzero(np.bincount(areas.ravel())[1:] >= least)
        if self._zone_test == "pixels":
            return bool(len(large))
        boxes = scipy.ndimage.find_objects(areas)
        for number in large.tolist():
            rows, columns = boxes[number]
            inside = (
                zone[rows, columns].any()
                if self._zone_test == "box"
                else zone[rows.stop - 1, (columns.start + columns.stop - 1) // 2]
            )
            if inside:
                return True
        return False


def _zones(
    settings: Settings, capability: Capability, *, night: bool, alerting: bool = False
) -> list[tuple[int, float, NDArray[np.bool_], tuple[str, ...]]]:
    """Contrast, size, pixels and classes of each zone with a sensitivity or classes of its own; of all others together.

    Zones that only alert decide nothing about recording, those that only record nothing about alerts.
    """
    other = ZoneDoes.RECORDS if alerting else ZoneDoes.ALERTS
    left = tuple(z for z in settings.detection.zones if isinstance(z, BlockZone) or z.does is not other)
    watching = any(not isinstance(z, BlockZone) and z.kind is ZoneKind.WATCH for z in settings.detection.zones)
    if watching and not any(isinstance(z, BlockZone) or z.kind is ZoneKind.WATCH for z in left):
        return []
    settings = settings.with_values(zones=left)
    detection = settings.detection
    watched = [z for z in detection.zones if not isinstance(z, BlockZone) and z.kind is ZoneKind.WATCH]
    usual = detection.night_notch if night and detection.night_notch else detection.notch
    parts = []
    for own, classes in sorted({(z.notch, z.classes) for z in watched}) or [("", ())]:
        others = [z for z in watched if (z.notch, z.classes) != (own, classes)]
        zones = tuple(z for z in detection.zones if z not in others)
        if detection.sensitivity is not None and not own:
            contrast, share = detection.sensitivity
        else:
            notch = capability.notch(own or usual)
            contrast, share = notch.contrast, notch.size
        parts.append((contrast, share, _zone_pixels(settings.with_values(zones=zones)), classes))
    return parts


def _painted(settings: Settings, kind: ZoneKind) -> NDArray[np.bool_]:
    """Pixels of the zones of one kind."""
    mask = Image.new("1", (_DECISION_WIDTH, _DECISION_HEIGHT), 0)
    draw = ImageDraw.Draw(mask)
    for zone in settings.detection.zones:
        if not isinstance(zone, BlockZone) and zone.kind is kind:
            draw.polygon([(x * _DECISION_WIDTH, y * _DECISION_HEIGHT) for x, y in zone.points], fill=1)
    return np.array(mask, bool)


def _zone_pixels(settings: Settings) -> NDArray[np.bool_]:
    """Pixels that count: those of blocks that are on and of watch zones (all without either), without ignored ones."""
    size = (_DECISION_WIDTH, _DECISION_HEIGHT)
    pixels = _painted(settings, ZoneKind.WATCH)
    blocks = [z for z in settings.detection.zones if isinstance(z, BlockZone)]
    for zone in blocks:
        active = np.array(zone.active).reshape(zone.rows, zone.columns)
        block = Image.fromarray(active.astype(np.uint8) * 255).resize(size, Image.Resampling.NEAREST)
        pixels |= np.array(block.convert("1"), bool)
    if not blocks and not any(
        z.kind is ZoneKind.WATCH for z in settings.detection.zones if not isinstance(z, BlockZone)
    ):
        pixels[:] = True
    return pixels & ~_painted(settings, ZoneKind.IGNORE) & ~_painted(settings, ZoneKind.MASK)


class ClipWriter:
    """Writes pictures as an H.264 file."""

    def __init__(self, path: Path, *, crf: int = 34, rate_hz: int = RATE_HZ) -> None:
        self._container = av.open(str(path), "w")
        self._stream = self._container.add_stream("libx264", rate=rate_hz)
        self._stream.width, self._stream.height = WIDTH, HEIGHT
        self._stream.pix_fmt = "yuv420p"
        self._stream.time_base = Fraction(1, rate_hz)
        self._stream.options = {"crf": str(crf), "preset": "superfast", "g": str(KEY_EVERY_S * rate_hz), "threads": "1"}
        self._count = 0

    def add(self, picture: NDArray[np.uint8]) -> None:
        """Append one picture."""
        frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
        frame.pts = self._count
        self._count += 1
        for packet in self._stream.encode(frame):
            self._container.mux(packet)

    def close(self) -> None:
        """Finish the file."""
        for packet in self._stream.encode():
            self._container.mux(packet)
        self._container.close()


@dataclass(frozen=True)
class Recorded:
    """A clip that the bench camera made."""

    start_s: float
    """First picture, seconds of the scene's clock."""
    trigger_s: float
    """What made it record; equal to start_s on continuous footage."""
    end_s: float
    """End of the clip."""


def _moments(begin_s: float, end_s: float, rate_hz: int = RATE_HZ) -> Iterator[float]:
    for index in range(round((end_s - begin_s) * rate_hz)):
        yield begin_s + index / rate_hz


def record_motion(
    view: View,
    settings: Settings,
    decider: Decider,
    path: Path,
    *,
    begin_s: float,
    end_s: float,
    free_from_s: float,
    lets_through: Callable[[float], bool] = lambda _at: True,
) -> Recorded | None:
    """Run the camera over a stretch of the scene and record the first motion clip, if it triggers.

    Args:
        view: Renders the pictures.
        settings: Pre-record and length are used.
        decider: A new one for this stretch.
        path: The file to make.
        begin_s: Beginning of the stretch.
        end_s: Its end; a trigger after it is not waited for.
        free_from_s: The camera rests until then.
        lets_through: Whether the hours and the object filter let a trigger at a moment through.

    Returns:
        The clip, None if nothing triggered.
    """
    before: deque[float] = deque(maxlen=max(1, round(settings.recording.pre_record_s * RATE_HZ)))
    for at in _moments(begin_s, end_s):
        if decider.triggered_by(smoothed(view.coarse(at)), at) and at >= free_from_s and lets_through(at):
            writer = ClipWriter(path)
            for moment in (*before, at):
                writer.add(view.picture(moment))
            last = at
            for later in _moments(at + 1 / RATE_HZ, at + (settings.recording.length_s or LONGEST_S)):
                picture = view.picture(later)
                writer.add(picture)
                decider.triggered(picture, later)
                last = later if decider.moving else last
                rule = settings.recording
                ends = rule.length_s is None or rule.stop_when_still
                if ends and later - last >= settings.detection.release_s:
                    break
            writer.close()
            return Recorded(at - len(before) / RATE_HZ, at, later + 1 / RATE_HZ)
        before.append(at)
    return None


def record_continuous(view: View, path: Path, *, begin_s: float, end_s: float, rate_hz: int = RATE_HZ) -> Recorded:
    """Record a stretch of the scene whatever happens in it."""
    writer = ClipWriter(path, crf=35, rate_hz=rate_hz)
    for at in _moments(begin_s, end_s, rate_hz):
        writer.add(view.picture(at))
    writer.close()
    return Recorded(begin_s, begin_s, end_s)
