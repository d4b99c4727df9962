"""Drawn zones in the form that a make takes."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.core.make.convert_zones import Loss, convert, loss
from guardia.core.make.outlines import Form, simpler
from guardia.core.make.settings import entered_zones, zone_limits_broken
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind, is_rectangle, polygon_problem
from guardia.core.trace.measure import GRID
from tests.support import capability, plain

MAKES = ("polygon-mains-camera", "battery-camera-on-hub", "rectangle-mains-camera", "grid-zone-recorder")


def box(kind, left, top, right, bottom, name="", notch=""):
    return PolygonZone(kind, ((left, top), (right, top), (right, bottom), (left, bottom)), name, notch)


def star(x, y, radius, corners):
    angles = [2 * math.pi * n / corners for n in range(corners)]
    return tuple((x + radius * math.cos(a), y + radius * math.sin(a)) for a in angles)


class Conversion(unittest.TestCase):
    def convert(self, zones, make):
        made = convert(zones, capability(make), grid=GRID)
        self.assertEqual(zone_limits_broken(plain(4).with_values(zones=made), capability(make)), [])
        return made

    def test_what_the_make_takes_stays_as_it_is(self):
        zones = (box(ZoneKind.WATCH, 0.25, 0.5, 0.75, 1.0, "yard"),)
        for make in ("polygon-mains-camera", "battery-camera-on-hub", "rectangle-mains-camera"):
            self.assertEqual(self.convert(zones, make), zones)
        self.assertEqual(convert((), capability(), grid=GRID), ())

    def test_blocks_become_outlines_of_the_same_cells(self):
        active = np.zeros((18, 32), bool)
        active[4:14, 3:20] = True
        active[9:14, 12:20] = False
        blocks = BlockZone(32, 18, tuple(active.ravel().tolist()))
        for make in ("polygon-mains-camera", "rectangle-mains-camera", "battery-camera-on-hub"):
            made = self.convert((blocks,), make)
            self.assertEqual(loss((blocks,), made, grid=GRID), Loss(0, 0), make)

    def test_ignore_zones_become_zones_to_watch_where_the_make_has_no_others(self):
        drawn = (box(ZoneKind.IGNORE, 0.0, 0.0, 0.5, 0.5, "road"),)
        made = self.convert(drawn, "battery-camera-on-hub")
        self.assertEqual([z.kind for z in made], [ZoneKind.WATCH] * 2)
        self.assertEqual(loss(drawn, made, grid=GRID), Loss(0, 0))
        self.assertEqual(self.convert(drawn, "rectangle-mains-camera"), drawn)

    def test_too_many_corners_and_zones_are_brought_to_the_limit_under_their_names(self):
        round_one = PolygonZone(ZoneKind.WATCH, star(0.5, 0.5, 0.4, 24), "pond")
        (made,) = self.convert((round_one,), "polygon-mains-camera")
        self.assertEqual((made.name, len(made.points)), ("pond", 8))
        rough = replace(round_one, points=simpler(round_one.points, Form(8)))
        near, far = (loss((round_one,), (z,), grid=GRID) for z in (made, rough))
        self.assertLess(near.no_longer + near.besides, far.no_longer + far.besides)
        five = [box(ZoneKind.IGNORE, 0.2 * n, 0.0, 0.2 * n + 0.1, 0.3, f"tree {n}") for n in range(5)]
        made = self.convert(five, "polygon-mains-camera")
        self.assertEqual((len(made), sum(" and " in z.name for z in made)), (4, 1))

    def test_blocks_of_another_grid_become_the_makes_own(self):
        make = capability("phone-as-camera")
        foreign = BlockZone(22, 18, tuple(n % 22 < 11 for n in range(22 * 18)))
        chosen = plain(4).with_values(zones=(foreign,))
        own = BlockZone(16, 9, tuple(n % 16 < 8 for n in range(16 * 9)))
        self.assertEqual(entered_zones(chosen, make), (own,))
        self.assertEqual(self.convert((foreign,), "phone-as-camera"), (own,))
        self.assertEqual(entered_zones(chosen.with_values(zones=(own,)), make), (own,))

    def test_masks_stay_and_sensitivities_that_the_make_does_not_know_go(self):
        mask = box(ZoneKind.MASK, 0.6, 0.6, 0.9, 0.9, "neighbour")
        drawn = (box(ZoneKind.WATCH, 0.0, 0.0, 0.5, 0.5, "yard", "nine"), mask)
        made = self.convert(drawn, "polygon-mains-camera")
        self.assertEqual(made, (replace(drawn[0], notch=""), mask))
        own = replace(drawn[0], notch="9")
        self.assertEqual(self.convert((own,), "polygon-mains-camera"), (own,))
        self.assertEqual(self.convert(drawn, "grid-zone-recorder")[1], mask)

    @settings(max_examples=25, deadline=None, derandomize=True)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from([ZoneKind.WATCH, ZoneKind.IGNORE]),
                st.floats(0.15, 0.85), st.floats(0.15, 0.85), st.floats(0.03, 0.15), st.integers(3, 14),
            ),
            min_size=1, max_size=7,
        ),
        st.sampled_from(MAKES),
    )  # fmt: skip
    def test_any_zones_become_such_as_the_make_takes(self, drawn, name):
        make = capability(name)
        zones = [PolygonZone(k, star(x, y, r, n), str(i)) for i, (k, x, y, r, n) in enumerate(drawn)]
        made = convert(zones, make, grid=GRID, tries=60)
        self.assertEqual(zone_limits_broken(plain(4).with_values(zones=made), make), [])
        for zone in made:
            if isinstance(zone, PolygonZone):
                self.assertIsNone(polygon_problem(zone.points))
                self.assertTrue(make.zone_form != "rectangles" or is_rectangle(zone.points))
