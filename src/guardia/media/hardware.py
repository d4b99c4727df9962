"""Devices of this machine that can decode clips."""

from __future__ import annotations

from dataclasses import dataclass

from av.codec.hwaccel import HWAccel, hwdevices_available

from guardia.core.base.errors import InvalidValue


@dataclass(frozen=True)
class Hardware:
    """A device that decodes one kind of stream as software does."""

    device: str
    """FFmpeg's name of the kind of device, such as 'cuda' or 'vaapi'."""
    codec: str
    """FFmpeg's name of the codec that was compared; others are decoded by software."""

    def opener(self) -> HWAccel:
        """What PyAV opens a file with; a stream that the device cannot take is decoded by software."""
        return HWAccel(self.device, allow_software_fallback=True)


def check_device(name: str) -> None:
    """Raise InvalidValue unless decoding on a kind of device is known to the FFmpeg in use."""
    known = sorted(hwdevices_available())
    if name not in known:
        raise InvalidValue(
            f"Clips cannot be decoded on '{name}' here.",
            do=f"Known are: {', '.join(known)}. Leave it out to decode by software." if known else "",
        )
