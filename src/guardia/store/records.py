"""What the project gives and takes."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from guardia.core.evidence.clips import Cause, Origin
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.view.geometry import KnownView


@dataclass(frozen=True)
class Site:
    """A place with a time zone."""

    name: str
    """Its name."""
    time_zone: str
    """IANA name."""
    latitude: float | None = None
    """Degrees, north positive; None while nobody said."""
    longitude: float | None = None
    """Degrees, east positive; likewise."""
    people: str = ""
    """Who lives or works there and is expected, in words."""

    @property
    def coordinates(self) -> tuple[float, float] | None:
        """Latitude and longitude in degrees, None while nobody said."""
        return None if self.latitude is None or self.longitude is None else (self.latitude, self.longitude)


@dataclass(frozen=True)
class About:
    """What is written down of a camera."""

    serial: str = ""
    """Its serial number."""
    manual: str = ""
    """Where its manual is."""
    keys_kept: str = ""
    """Where pairing code and password are kept; never the code or the password itself."""
    patrol: int = 0
    """Its place on the round, from 1; 0 while nobody said."""
    firmware: str = ""
    """The version that runs on it."""
    housing: str = ""
    """What it shares a housing with: another lens, or a preset of one that turns; each is a camera of its own here."""
    folder: str = ""
    """The folder from which its clips were imported last; empty where none was."""
    folder_rule: str = "one"
    """How clips in that folder find their camera, as in an import's plan."""


@dataclass(frozen=True)
class Camera:
    """One installed camera."""

    id: int
    """Number in the project."""
    name: str
    """Named after its place."""
    capability: Capability
    """The make."""
    installed: Settings
    """Settings in force."""
    draft: Settings
    """Settings being tried."""
    clock_error_s: float = 0.0
    """What the camera's clock shows less the true time, seconds: positive when it is fast."""
    time_pattern: str = ""
    """How it writes the time in file names, see core.clock.NAME_FORMS."""
    view: KnownView | None = None
    """What is known of its view, None if nothing is."""
    about: About = About()
    """What is written down of it."""

    def under(self, settings: Settings) -> Candidate:
        """Settings with this camera's make."""
        return Candidate(settings, self.capability)


@dataclass(frozen=True)
class NewClip:
    """What is known of a file before it is taken in."""

    path: Path
    """The file, left where it is."""
    start_s: float
    """POSIX seconds."""
    start_source: str
    """How that is known."""
    duration_s: float
    """Seconds."""
    width: int
    """Pixels."""
    height: int
    """Pixels."""
    codec: str
    """FFmpeg's name."""
    origin: Origin
    """How it was recorded."""
    cause: Cause | None = None
    """Why the camera recorded it, where that was said; else its event list decides, or it is motion."""
