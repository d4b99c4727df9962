import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Polygon

from guardia.core.base.errors import InvalidValue
from guardia.core.make.zones import (
    BlockZone,
    PolygonZone,
    ZoneKind,
    coverage,
    polygon_problem,
    zone_cells,
    zone_from_dict,
    zone_to_dict,
)
from guardia.core.trace.measure import GRID, Grid

HOUSE = ((0.1, 0.5), (0.3, 0.2), (0.5, 0.5), (0.5, 0.9), (0.1, 0.9))


class Rasterising(unittest.TestCase):
    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(st.lists(st.tuples(st.floats(0, 1), st.floats(0, 1)), min_size=3, max_size=8, unique=True))
    def test_the_watched_area_is_the_area_that_shapely_gives_the_polygon(self, points):
        hull = Polygon(points).convex_hull
        if hull.geom_type != "Polygon" or polygon_problem(tuple(hull.exterior.coords)[:-1]):
            return
        zone = PolygonZone(ZoneKind.WATCH, tuple(hull.exterior.coords)[:-1])
        corners = zone.points
        watch = coverage([zone], grid=GRID)
        ignore = coverage([PolygonZone(ZoneKind.IGNORE, corners)], grid=GRID)
        self.assertAlmostEqual(float(watch.mean()), Polygon(corners).area, places=9)
        np.testing.assert_allclose(watch + ignore, 1.0, atol=1e-9)

    def test_each_cell_of_a_concave_polygon_against_ten_thousand_points(self):
        arrow = ((0.1, 0.1), (0.9, 0.5), (0.1, 0.9), (0.4, 0.5))
        share = coverage([PolygonZone(ZoneKind.WATCH, arrow)], grid=Grid(8, 6))
        x, y = np.meshgrid((np.arange(800) + 0.5) / 800, (np.arange(600) + 0.5) / 600)
        inside = np.zeros(x.shape, bool)
        for (x0, y0), (x1, y1) in zip(arrow, arrow[1:] + arrow[:1], strict=True):
            crosses = (y0 > y) != (y1 > y)
            with np.errstate(divide="ignore", invalid="ignore"):
                inside ^= crosses & (x < x0 + (y - y0) * (x1 - x0) / (y1 - y0))
        counted = inside.reshape(6, 100, 8, 100).mean(axis=(1, 3))
        np.testing.assert_allclose(share, counted, atol=0.01)

    def test_no_watch_zone_means_the_whole_picture_and_ignore_wins(self):
        self.assertTrue(zone_cells([], grid=GRID).all())
        half = PolygonZone(ZoneKind.IGNORE, ((0, 0), (0.5, 0), (0.5, 1), (0, 1)))
        cells = zone_cells([half, PolygonZone(ZoneKind.WATCH, ((0, 0), (1, 0), (1, 0.5), (0, 0.5)))], grid=GRID)
        self.assertEqual(cells.sum(), 16 * 9)
        self.assertTrue(cells[:9, 16:].all())

    def test_the_makes_own_blocks(self):
        blocks = BlockZone(16, 9, tuple(n % 16 < 8 for n in range(16 * 9)))
        cells = zone_cells([blocks], grid=GRID)
        self.assertTrue(cells[:, :16].all())
        self.assertFalse(cells[:, 16:].any())


class Refusing(unittest.TestCase):
    def test_useless_outlines_are_refused_with_the_reason(self):
        for points, word in (
            (((0, 0), (1, 1)), "three corners"),
            (((0, 0), (1, 1), (1, 0), (0, 1)), "crosses"),
            (((0.5, 0.5), (0.501, 0.5), (0.5, 0.501)), "too small"),
            (((0, 0), (1.2, 0), (1, 1)), "in the picture"),
            (((0, 0), (float("nan"), 0), (1, 1)), "in the picture"),
            (((0.1, 0.1), (0.5, 0.5), (0.9, 0.9)), ""),
        ):
            with self.subTest(points), self.assertRaisesRegex(InvalidValue, word):
                PolygonZone(ZoneKind.WATCH, points)

    def test_blocks_must_fill_their_grid(self):
        with self.assertRaisesRegex(InvalidValue, "12 blocks"):
            BlockZone(4, 3, (True,) * 11)

    def test_zones_survive_their_json_form_and_bad_ones_are_told(self):
        for zone in (PolygonZone(ZoneKind.IGNORE, HOUSE, "gable"), BlockZone(4, 2, (True, False) * 4)):
            self.assertEqual(zone_from_dict(zone_to_dict(zone)), zone)
        for bad in (
            {},
            {"kind": "watch"},
            {"kind": "round", "points": []},
            {"kind": "watch", "points": [[1], [2], [3]]},
        ):
            with self.subTest(bad), self.assertRaises(InvalidValue):
                zone_from_dict(bad)
