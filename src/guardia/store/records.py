"""What the project gives and takes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from guardia.core.evidence.clips import Cause, Origin
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.view.geometry import KnownView


@dataclass(frozen=True)
class Site:
    """A place with a time zone.

    Parameters
    ----------
    name
        Its name.
    time_zone
        IANA name.
    latitude
        Degrees, north positive; None while nobody said.
    longitude
        Degrees, east positive; likewise.
    people
        Who lives or works there and is expected, in words.
    """

    name: str
    time_zone: str
    latitude: float | None = None
    longitude: float | None = None
    people: str = ""


@dataclass(frozen=True)
class About:
    """What is written down of a camera.

    Parameters
    ----------
    serial
        Its serial number.
    manual
        Where its manual is.
    keys_kept
        Where pairing code and password are kept; never the code or the password itself.
    patrol
        Its place on the round, from 1; 0 while nobody said.
    firmware
        The version that runs on it.
    """

    serial: str = ""
    manual: str = ""
    keys_kept: str = ""
    patrol: int = 0
    firmware: str = ""


@dataclass(frozen=True)
class Camera:
    """One installed camera.

    Parameters
    ----------
    id
        Number in the project.
    name
        Named after its place.
    capability
        The make.
    installed
        Settings in force.
    draft
        Settings being tried.
    clock_error_s
        What the camera's clock shows less the true time, seconds: positive when it is fast.
    time_pattern
        How it writes the time in file names, see core.clock.NAME_FORMS.
    view
        What is known of its view, None if nothing is.
    about
        What is written down of it.
    """

    id: int
    name: str
    capability: Capability
    installed: Settings
    draft: Settings
    clock_error_s: float = 0.0
    time_pattern: str = ""
    view: KnownView | None = None
    about: About = About()

    def under(self, settings: Settings) -> Candidate:
        """Settings with this camera's make."""
        return Candidate(settings, self.capability)


@dataclass(frozen=True)
class NewClip:
    """What is known of a file before it is taken in.

    Parameters
    ----------
    path
        The file, left where it is.
    start_s
        POSIX seconds.
    start_source
        How that is known.
    duration_s
        Seconds.
    width
        Pixels.
    height
        Pixels.
    codec
        FFmpeg's name.
    origin
        How it was recorded.
    cause
        Why the camera recorded it, where that was said; else its event list decides, or it is motion.
    """

    path: Path
    start_s: float
    start_source: str
    duration_s: float
    width: int
    height: int
    codec: str
    origin: Origin
    cause: Cause | None = None


@dataclass(frozen=True)
class NewOccurrence:
    """An occurrence with its key pictures.

    Parameters
    ----------
    start_s
        On the clip's clock.
    end_s
        Likewise.
    key_times_s
        Times of the key pictures.
    strip
        JPEG of the key pictures side by side.
    """

    start_s: float
    end_s: float
    key_times_s: Sequence[float]
    strip: bytes
