"""A proposal in the make's form: blocks, zones to ignore, or a zone to watch.

Blocks are what the integer program decides on, so they are taken as they are. For zones with corners cells say little
of what an outline can do: outlines are sought by the program's rules themselves, and then replayed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.outlines import Form, Outline, Tries, boxes, climb, halves, largest_outline, merged
from guardia.core.make.settings import Settings, drawn_zones, entered_zones
from guardia.core.make.zones import (
    CELL_INSIDE_SHARE,
    BlockZone,
    MadeBy,
    PolygonZone,
    Zone,
    ZoneKind,
    coverage,
    outline_share,
    to_blocks,
)
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Replay, replay
from guardia.core.trace.measure import Grid
from guardia.core.tuning.drawing import DRAWINGS, Moved, draw
from guardia.core.tuning.propose import difference
from guardia.core.tuning.zone_program import Rules, make_program, unit_numbers

TRIES = 800
"""Outlines looked at in each of the two searches, for outlines to ignore and to watch."""

Share = NDArray[np.float64]
LeftOut = Callable[[list[Share]], NDArray[np.bool_] | None]

LOST = (-math.inf, 0.0, 0.0)
"""Worth of outlines that lose something real."""

TRIED = 20
"""Of so many outlines to begin with the first is taken that loses nothing when replayed."""

CORNER_CELLS = 2
"""A corner must save so many cells of ignored area."""

TIDY_TRIES = 240
"""Tries kept for tidier outlines after the search for such that silence more."""

EVERY = 4
"""The search for a rectangle to begin with looks at every fourth line between cells."""


def fit(
    evidence: Evidence, ignored: NDArray[np.bool_], candidate: Candidate, *, check: Callable[[], None] = lambda: None
) -> list[tuple[Zone, ...]]:
    """The proposal in the make's form, as steps to be taken one after another or in part.

    Args:
        evidence: Clips and judged occurrences, to try the outlines on.
        ignored: (rows, columns) cells to ignore.
        candidate: Settings and make.
        check: Called again and again; what it raises ends the search.

    Returns:
        All zones of the draft after each step, each of which silences more and loses nothing real. Empty when nothing
        useful fits.
    """
    if not ignored.any():
        return []
    settings, capability = candidate.settings, candidate.capability
    drawn = drawn_zones(settings)
    masks = [z for z in settings.detection.zones if z not in drawn]
    before = replay(evidence, candidate)
    if capability.zone_form == "blocks":
        return _that_hold(before, [(_blocks(ignored, settings, capability), *masks)])[1]
    search = _Search.of(before, check)
    watched = any(isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH for z in drawn)
    tries: list[list[tuple[Zone, ...]]] = []
    if capability.ignore_zones:
        outlines = search.ignored(ignored, capability.max_zones - len(drawn))
        zones = [_zone(ZoneKind.IGNORE, o, n) for n, o in enumerate(outlines, 1)]
        tries.append([(*settings.detection.zones, *zones[:n]) for n in range(1, len(zones) + 1)])
    by_watching = capability.watch_zones and not (watched and capability.ignore_zones)
    if by_watching and not any(isinstance(z, PolygonZone) and z.notch for z in drawn):
        # Without ignore zones the outlines to watch stand in place of those drawn, and lie within them.
        rest = drawn if capability.ignore_zones else ()
        outlines = search.watched(ignored, capability.max_zones - len(rest))
        zones = [_zone(ZoneKind.WATCH, o, n) for n, o in enumerate(outlines, 1)]
        tries.append([(*rest, *zones, *masks)] if zones else [])
    held = [_that_hold(before, steps) for steps in tries]
    return max(held, key=lambda one: one[0], default=(0, []))[1]


def _zone(kind: ZoneKind, outline: Outline, number: int) -> PolygonZone:
    return PolygonZone(kind, outline, f"proposed {number}", made_by=MadeBy.PROPOSED)


def _that_hold(before: Replay, steps: Iterable[tuple[Zone, ...]]) -> tuple[int, list[tuple[Zone, ...]]]:
    """Those steps that, replayed, lose nothing real and silence more than the one before, and what all are worth."""
    holding, most = [], 0
    for zones in steps:
        done = difference(before.evidence, before, replay(before.evidence, before.candidate.with_values(zones=zones)))
        if not done.lost and done.gain > most:
            holding.append(zones)
            most = done.gain
    return most, holding


def _blocks(ignored: NDArray[np.bool_], settings: Settings, capability: Capability) -> BlockZone:
    rows, columns = ignored.shape
    wide, high = capability.blocks
    active = np.array(to_blocks(entered_zones(settings, capability), grid=capability.blocks).active)
    if wide <= columns and high <= rows:
        active[np.unique(unit_numbers(capability, grid=Grid.of(ignored))[ignored])] = False
        return BlockZone(wide, high, tuple(active.tolist()), MadeBy.PROPOSED)
    left = BlockZone(columns, rows, tuple((~ignored).ravel().tolist()))
    keep = np.array(to_blocks([left], grid=capability.blocks).active)
    return BlockZone(wide, high, tuple((active & keep).tolist()), MadeBy.PROPOSED)


@dataclass(frozen=True, eq=False)
class _Search:
    """Seeks outlines by the program's rules."""

    before: Replay
    rules: Rules
    present: NDArray[np.float64]
    form: Form
    check: Callable[[], None]

    @classmethod
    def of(cls, before: Replay, check: Callable[[], None]) -> _Search:
        candidate, evidence = before.candidate, before.evidence
        present = coverage(entered_zones(candidate.settings, candidate.capability), grid=evidence.stack.grid)
        rules = Rules(make_program(evidence, before, sure=False))
        return cls(before, rules, present, Form.of(candidate.capability), check)

    def ignored(self, cells: NDArray[np.bool_], room: int) -> list[Outline]:
        """Up to so many outlines to ignore, the one that silences most first."""

        tries = Tries(TRIES)
        pieces, count = scipy.ndimage.label(scipy.ndimage.binary_closing(cells) | cells)
        mine = [largest_outline(pieces == n, self.form) for n in range(1, count + 1)]
        outlines: list[Outline] = []
        best = self._worth(self._left_out([]))
        for _ in range(room):
            start = self._start(mine, outlines)
            if start is None:
                break
            tried = self._climb([*outlines, start], self._left_out, tries)
            worth = self._worth_of(tried, self._left_out)
            if worth <= best:
                break
            outlines, best = tried, worth
        outlines = self._merged(outlines, self._left_out)
        ordered: list[Outline] = []
        while outlines:
            taken = max(outlines, key=lambda o: self._worth_of([*ordered, o], self._left_out))
            outlines.remove(taken)
            ordered.append(taken)
        return ordered

    def watched(self, cells: NDArray[np.bool_], room: int) -> list[Outline]:
        """Up to so many outlines to watch; none if every one loses something."""

        tries = Tries(TRIES)
        left = self._inside(self.present) & ~cells
        mine = [largest_outline(mask, self.form) for mask in (left, scipy.ndimage.binary_closing(left))]
        start = self._start([*mine, *self._drawn()], None)
        if room < 1 or start is None:
            return []
        fitted = self._climb([start], self._outside, tries)
        while len(fitted) < room:
            cut = [
                [*fitted[:n], *pair, *fitted[n + 1 :]] for n, o in enumerate(fitted) for pair in halves(o, self.form)
            ]
            tried = [fitted, *(self._climb(outlines, self._outside, tries) for outlines in cut)]
            best = max(tried, key=lambda outlines: self._worth_of(outlines, self._outside))
            if best is fitted:
                break
            fitted = best
        return self._merged(fitted, self._outside)

    def _merged(self, outlines: list[Outline], left_out: LeftOut) -> list[Outline]:
        """One outline in place of two that have most in common, where that silences no fewer and loses nothing."""

        def as_good(fewer: list[Outline], several: list[Outline]) -> bool:
            gains = [self._worth_of(o, left_out)[0] for o in (fewer, several)]
            return gains[0] >= gains[1] and self._allowed(left_out([self._share(o) for o in fewer]))

        return merged(outlines, self.form, as_good=as_good, grid=Grid.of(self.present))

    def _drawn(self) -> Iterator[Outline]:
        """Outlines to watch as a technician might draw them: round where real ones moved, or stood."""
        evidence, candidate = self.before.evidence, self.before.candidate
        real = [v for v in evidence.visits if v.verdict is Verdict.REAL]
        visits = [*real, *(v for v in evidence.recorded_visits if v.verdict is Verdict.FALSE)]
        moved = Moved.of(evidence, visits, np.arange(len(visits)) < len(real), candidate)
        seen, grid = np.ones(len(visits), bool), evidence.stack.grid
        for drawing in DRAWINGS:
            if drawing.watch is not None:
                zones = draw(drawing, moved, seen, candidate, grid=grid, within=True) or ()
                fresh = (z for z in zones if z not in candidate.settings.detection.zones)
                yield from (z.points for z in fresh if isinstance(z, PolygonZone))

    def _start(self, mine: list[Outline | None], current: list[Outline] | None) -> Outline | None:
        """The outline to begin with: one of ours or a rectangle, beside those to ignore found so far, or to watch."""
        outlines, masks = boxes(Grid.of(self.present), every=EVERY)
        own = [o for o in mine if o is not None]
        inside = self._inside(self.present)
        masks = np.concatenate([[self._inside(self._share(o)) for o in own], masks]) if own else masks
        if current is None:
            out = (masks & ~inside).any(axis=(1, 2))
            ignored = inside & ~masks
        else:
            out = np.zeros(len(masks), bool)
            ignored = inside & (masks | self._covered([self._share(o) for o in current]))
        units = ignored.reshape(len(ignored), -1).T
        worth = (
            self.rules.silenced(units).sum(axis=0)
            + self.rules.progress(units)
            - self.rules.worn(units)
            - 1e-6 * units.sum(axis=0)
        )
        worth[out | ~self.rules.kept(units).all(axis=0)] = -np.inf
        order = np.argsort(-worth, kind="stable")[:TRIED]
        chosen = next((n for n in order.tolist() if math.isfinite(worth[n]) and self._allowed(ignored[n])), None)
        return None if chosen is None else [*own, *outlines][chosen]

    def _allowed(self, ignored: NDArray[np.bool_] | None) -> bool:
        if ignored is None:
            return False
        evidence = self.before.evidence
        return not difference(evidence, self.before, replay(evidence, self.before.candidate, without=ignored)).lost

    def _climb(self, outlines: list[Outline], left_out: LeftOut, tries: Tries) -> list[Outline]:
        """Move corners for the better: first to silence more, then for less area and fewer corners."""

        def more(shares: list[Share], _corners: int) -> tuple[float, ...]:
            return self._worth(left_out(shares))

        def tidier(shares: list[Share], corners: int) -> tuple[float, ...]:
            gain, _, area = self._worth(left_out(shares))
            return gain, area - CORNER_CELLS * corners

        for worth, keep in ((more, TIDY_TRIES), (tidier, 0)):
            outlines = climb(
                outlines, worth, self.form, allowed=lambda shares: self._allowed(left_out(shares)),
                grid=Grid.of(self.present), steps=(2, 1), tries=tries, keep=keep, check=self.check,
            )  # fmt: skip
        return outlines

    def _share(self, outline: Outline) -> NDArray[np.float64]:
        return outline_share(outline, grid=Grid.of(self.present))

    @staticmethod
    def _inside(share: NDArray[np.float64]) -> NDArray[np.bool_]:
        inside: NDArray[np.bool_] = share >= CELL_INSIDE_SHARE - 1e-9
        return inside

    def _left_out(self, shares: list[Share]) -> NDArray[np.bool_] | None:
        """Cells that outlines to ignore leave out."""
        return self._inside(self.present) & self._covered(shares)

    def _covered(self, shares: list[Share]) -> NDArray[np.bool_]:
        covered = np.minimum(1.0, np.sum([np.zeros_like(self.present), *shares], axis=0))
        return ~self._inside(self.present * (1.0 - covered))

    def _outside(self, shares: list[Share]) -> NDArray[np.bool_] | None:
        """Cells that outlines to watch leave out; None when they watch what is not watched now."""
        inside, watched = self._inside(self.present), self._inside(np.minimum(1.0, np.sum(shares, axis=0)))
        return None if (watched & ~inside).any() else inside & ~watched

    def _worth_of(self, outlines: list[Outline], left_out: LeftOut) -> tuple[float, ...]:
        return self._worth(left_out([self._share(o) for o in outlines]))

    def _worth(self, ignored: NDArray[np.bool_] | None) -> tuple[float, ...]:
        """Most silenced for the fewest witnesses of real ones, then the others quieter, then little area."""
        if ignored is None or not self.rules.kept(ignored.ravel()).all():
            return LOST
        cells = ignored.ravel()
        gain = float(self.rules.silenced(cells).sum() - self.rules.worn(cells))
        return gain, float(self.rules.progress(cells)), -float(cells.sum())
