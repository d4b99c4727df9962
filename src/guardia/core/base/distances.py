"""Distances and pixel densities in the units that the person reads; everything is kept and worked out in metres."""

from __future__ import annotations

from enum import StrEnum

M_A_FOOT = 0.3048
"""Metres in an international foot, exact (1959 agreement)."""


class Distances(StrEnum):
    """Units of distance on screen, sheet and report."""

    METRES = "metres"
    FEET = "feet"

    @property
    def unit(self) -> str:
        """Its sign."""
        return "m" if self is Distances.METRES else "ft"

    @property
    def metres(self) -> float:
        """Metres in one of it."""
        return 1.0 if self is Distances.METRES else M_A_FOOT


_shown = Distances.METRES


def show_distances(in_units: Distances) -> None:
    """Show all distances from now on in these units; of the whole process, like its language."""
    global _shown
    _shown = in_units


def shown_distances() -> Distances:
    """The units in which distances are shown now."""
    return _shown


def distance(metres: float, decimals: int = 0, to: float | None = None) -> str:
    """A distance in words.

    Args:
        metres: The distance, metres.
        decimals: Digits behind the point, in metres; one less in feet, which are a third.
        to: A second distance, metres, where it is a span.

    Returns:
        Such as '12 m', '4 to 18 m' or '39 ft'.
    """
    digits = decimals if _shown is Distances.METRES else max(0, decimals - 1)
    ends = [metres] if to is None else [metres, to]
    return f"{' to '.join(f'{end / _shown.metres:.{digits}f}' for end in ends)} {_shown.unit}"


def density(px_m: float, to: float | None = None, *, asked: bool = False) -> str:
    """A pixel density in words.

    Args:
        px_m: Pixels a metre.
        to: A second density, where it is a span.
        asked: Whether somebody asked for it, whose fractions are shown.

    Returns:
        Such as '25 px/m' or '8 px/ft'.
    """
    form = ".3g" if asked and _shown is Distances.FEET else "g" if asked else ".0f"
    ends = [px_m] if to is None else [px_m, to]
    return f"{' to '.join(f'{end * _shown.metres:{form}}' for end in ends)} px/{_shown.unit}"
