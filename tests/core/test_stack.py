import unittest
from unittest import mock

import numpy as np

from guardia.core.trace import stack as stack_module
from guardia.core.trace.measure import CONTRAST_LEVELS, sparse_trace
from guardia.core.trace.stack import TraceStack
from tests.support import blob_trace

EVERYWHERE = np.ones((18, 32), bool)


def trace_of(pictures: list[list[tuple[int, int]]]):
    """A trace whose pictures hold the given active cells (row, column)."""
    dense = np.zeros((len(pictures), 18, 32, len(CONTRAST_LEVELS)), np.uint8)
    for index, cells in enumerate(pictures):
        for row, column in cells:
            dense[index, row, column] = 255
    return sparse_trace(np.arange(len(pictures)) / 5, dense)


class Stacking(unittest.TestCase):
    def test_cells_that_touch_at_a_corner_are_one_group_and_the_row_s_end_touches_nothing(self):
        corner = [(4, 4), (5, 5), (6, 4)]
        wrapped = [(3, 31), (4, 0)]
        sizes = TraceStack([trace_of([corner, wrapped, []])]).sizes(EVERYWHERE, contrast=12)
        self.assertEqual(sizes.tolist(), [3 * 255, 255, 0])

    def test_groups_of_one_picture_never_reach_into_the_next(self):
        bottom, top = [(17, 8), (17, 9)], [(0, 8), (0, 9)]
        self.assertEqual(TraceStack([trace_of([bottom, top])]).sizes(EVERYWHERE, contrast=12).tolist(), [510, 510])

    def test_a_zone_that_cuts_a_group_in_two_leaves_the_larger_part(self):
        bar = [(9, c) for c in range(10, 20)]
        zone = EVERYWHERE.copy()
        zone[:, 13] = False
        self.assertEqual(TraceStack([trace_of([bar])]).sizes(zone, contrast=12).tolist(), [6 * 255])

    def test_box_and_foot_take_the_whole_group_or_nothing(self):
        person = [(r, 10) for r in range(4, 9)]
        stack = TraceStack([trace_of([person])])
        head, feet = np.zeros((18, 32), bool), np.zeros((18, 32), bool)
        head[4, 10], feet[8, 10] = True, True
        told = {
            (name, test): (stack.sizes(zone, contrast=12, zone_test=test) / 255).tolist()
            for name, zone in (("head", head), ("feet", feet))
            for test in ("pixels", "box", "foot")
        }
        self.assertEqual(told["head", "pixels"], [1])
        self.assertEqual((told["head", "box"], told["feet", "box"]), ([5], [5]))
        self.assertEqual((told["head", "foot"], told["feet", "foot"]), ([0], [5]))

    def test_boxes_and_cells_of_the_largest_group(self):
        small, large = [(2, 2)], [(10, 20), (10, 21), (11, 20)]
        stack = TraceStack([trace_of([small + large, small]), trace_of([[]])])
        self.assertEqual(stack.box_at(0, 0.0, contrast=12), (20 / 32, 10 / 18, 22 / 32, 12 / 18))
        self.assertEqual(stack.box_at(0, 0.2, contrast=12), (2 / 32, 2 / 18, 3 / 32, 3 / 18))
        self.assertIsNone(stack.box_at(1, 0.0, contrast=12))
        covered = stack.main_cells([(0, 0.0, 0.0), (1, 0.0, 9.0), (0, 0.2, 0.2)], contrast=12)
        found = [sorted(map(tuple, np.argwhere(cells).tolist())) for cells in covered]
        self.assertEqual(found, [large, [], small])
        self.assertEqual(stack.main_cells([(0, 0.0, 0.2)], contrast=12).sum(), 4)
        self.assertEqual(stack.main_cells([], contrast=12).shape, (0, 18, 32))
        self.assertEqual(stack.activity(0, 0.0, 0.2, contrast=12)[2, 2], 1.0)
        self.assertEqual(stack.activity(0, 0.0, 0.2, contrast=12)[10, 20], 0.5)

    def test_runs_end_with_their_clip(self):
        stack = TraceStack([blob_trace([0, 9, 9]), blob_trace([9, 9, 0, 9]), blob_trace([]), blob_trace([9])])
        runs = stack.runs(stack.sizes(EVERYWHERE, contrast=12), 5 * 255)
        self.assertEqual(runs, [[(1, 2)], [(0, 1), (3, 3)], [], [(0, 0)]])

    def test_finding_groups_in_parts_gives_the_same(self):
        rng = np.random.default_rng(3)
        pictures = [[tuple(c) for c in np.argwhere(rng.random((18, 32)) < 0.2).tolist()] for _ in range(40)]
        zone = rng.random((18, 32)) < 0.6
        whole = TraceStack([trace_of(pictures)]).sizes(zone, contrast=12)
        with mock.patch.object(stack_module, "_PART", 7):
            parts = TraceStack([trace_of(pictures[:25]), trace_of(pictures[25:])])
            np.testing.assert_array_equal(parts.sizes(zone, contrast=12), whole)
            self.assertEqual(parts.largest_boxes(contrast=12).shape, (40, 4))

    def test_a_zone_laid_over_the_groups_piece_by_piece_gives_the_same(self):
        rng = np.random.default_rng(3)
        shares = np.where(rng.random((40, 18, 32)) < 0.35, rng.integers(60, 256, (40, 18, 32)), 0)
        dense = np.repeat(shares[..., None], len(CONTRAST_LEVELS), axis=3).astype(np.uint8)
        trace = sparse_trace(np.arange(40) / 5, dense)
        zones = [rng.random((18, 32)) < share for share in (0.1, 0.5, 0.9)]
        whole = [TraceStack([trace]).sizes(zone, contrast=12).tolist() for zone in zones]
        for piece in (1, 7, 1000):
            with mock.patch.object(stack_module, "_PIECE", piece):
                stack = TraceStack([trace])
                self.assertEqual([stack.sizes(zone, contrast=12).tolist() for zone in zones], whole)

    def test_what_does_not_fit_is_refused(self):
        stack = TraceStack([blob_trace([3])])
        with self.assertRaises(ValueError):
            stack.sizes(np.ones((9, 16), bool), contrast=12)
        with self.assertRaises(ValueError):
            stack.sizes(EVERYWHERE, contrast=12, zone_test="shadow")
        other = sparse_trace(np.zeros(1), np.zeros((1, 9, 16, 5), np.uint8))
        with self.assertRaises(ValueError):
            TraceStack([blob_trace([3]), other])

    def test_nothing_at_all_is_scored_without_trouble(self):
        empty = TraceStack([])
        self.assertEqual(empty.sizes(np.ones((1, 1), bool), contrast=12).tolist(), [])
        self.assertEqual(empty.runs(np.zeros(0, np.int32), 1), [])
