import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.app.polygon_tool import Mode, PolygonTool
from guardia.core.zones import PolygonZone, ZoneKind, polygon_problem

SQUARE = ((0.2, 0.2), (0.6, 0.2), (0.6, 0.6), (0.2, 0.6))
REACH = 0.02


GESTURES = ("press", "move", "release", "finish", "cancel", "delete", "nudge", "simplify", "straighten", "undo")


class ToolCase(unittest.TestCase):
    def setUp(self):
        self.previews, self.commits, self.refusals = [], [], []
        self.tool = PolygonTool(
            preview=self.previews.append,
            commit=lambda zones, what: self.commits.append((zones, what)),
            refuse=self.refusals.append,
            max_corners=6,
            max_zones=3,
        )
        self.tool.set_zones((PolygonZone(ZoneKind.WATCH, SQUARE, "yard"),))

    def drag(self, start, *through):
        self.tool.press(start, reach=REACH)
        for point in through:
            self.tool.move(point)
        self.tool.release(through[-1])

    def click(self, point):
        self.tool.press(point, reach=REACH)
        self.tool.release(point)


class Editing(ToolCase):
    def test_a_corner_follows_the_pointer_and_is_kept_on_release(self):
        self.drag((0.6, 0.6), (0.7, 0.7), (0.8, 0.75))
        self.assertEqual(self.commits[-1][1], "move corner")
        self.assertEqual(self.commits[-1][0][0].points[2], (0.8, 0.75))
        self.assertGreaterEqual(len(self.previews), 2)

    def test_a_corner_dragged_across_the_zone_stops_at_the_last_good_shape(self):
        self.drag((0.6, 0.6), (0.3, 0.4), (0.4, 0.1))
        (zone,) = self.tool.zones
        self.assertIsNone(polygon_problem(zone.points))
        self.assertEqual(zone.points[2], (0.3, 0.4))

    def test_escape_brings_the_earlier_shape_back(self):
        self.tool.press((0.6, 0.6), reach=REACH)
        self.tool.move((0.9, 0.9))
        self.assertEqual(self.tool.before[0].points, SQUARE)
        self.tool.cancel()
        self.assertEqual((self.tool.zones[0].points, self.commits), (SQUARE, []))

    def test_a_whole_zone_moves_and_stays_in_the_picture(self):
        self.drag((0.4, 0.4), (0.9, 0.3))
        points = self.tool.zones[0].points
        self.assertEqual(max(x for x, _ in points), 1.0)
        self.assertAlmostEqual(points[0][1], 0.1)

    def test_a_corner_is_inserted_on_an_edge_of_the_selected_zone(self):
        self.click((0.4, 0.4))
        self.drag((0.4, 0.2), (0.4, 0.1))
        self.assertEqual(self.tool.zones[0].points[1], (0.4, 0.1))
        self.assertEqual((len(self.tool.zones[0].points), self.commits[-1][1]), (5, "insert corner"))

    def test_corners_snap_to_the_frame_and_to_other_zones(self):
        self.drag((0.6, 0.6), (0.993, 0.991))
        self.assertEqual(self.tool.zones[0].points[2], (1.0, 1.0))
        self.tool.set_mode(Mode.IGNORE)
        self.drag((0.205, 0.605), (0.05, 0.9))
        self.assertIn((0.2, 0.6), self.tool.zones[1].points)

    def test_drawing_by_clicks_and_by_a_rectangle(self):
        self.tool.set_mode(Mode.IGNORE)
        for point in ((0.7, 0.7), (0.9, 0.7), (0.8, 0.9)):
            self.click(point)
        self.tool.finish()
        self.assertEqual((self.tool.zones[1].kind, self.tool.zones[1].name), (ZoneKind.IGNORE, "ignore 1"))
        self.assertEqual(self.tool.mode, Mode.SELECT)
        self.tool.set_mode(Mode.WATCH)
        self.drag((0.7, 0.1), (0.9, 0.3))
        self.assertEqual(self.tool.zones[2].points, ((0.7, 0.1), (0.9, 0.1), (0.9, 0.3), (0.7, 0.3)))
        self.tool.set_mode(Mode.WATCH)
        self.click((0.5, 0.5))
        self.assertIn("at most 3 zones", self.refusals[-1])

    def test_a_shape_that_crosses_itself_is_refused_and_nothing_is_lost(self):
        self.tool.set_mode(Mode.WATCH)
        for point in ((0.7, 0.7), (0.9, 0.9), (0.9, 0.7), (0.7, 0.9)):
            self.click(point)
        self.tool.finish()
        self.assertEqual(len(self.tool.zones), 1)
        self.assertIn("crosses", self.refusals[-1])

    def test_delete_nudge_and_rename(self):
        self.drag((0.4, 0.2), (0.4, 0.2))
        self.click((0.2, 0.2))
        self.tool.nudge(0.01, 0)
        self.assertAlmostEqual(self.tool.zones[0].points[0][0], 0.21)
        self.tool.delete()
        self.assertEqual(len(self.tool.zones[0].points), 3)
        self.tool.rename(0, " gate ")
        self.assertEqual((self.tool.zones[0].name, self.commits[-1][1]), ("gate", "rename zone"))
        self.tool.delete()
        self.assertEqual((self.tool.zones, self.commits[-1][1]), ((), "delete zone"))
        self.tool.delete()
        self.assertEqual(self.commits[-1][1], "delete zone")

    def test_the_corners_a_make_takes_are_not_exceeded(self):
        self.click((0.4, 0.4))
        for _ in range(4):
            points = self.tool.zones[0].points
            middle = ((points[0][0] + points[1][0]) / 2, (points[0][1] + points[1][1]) / 2)
            self.drag(middle, (middle[0], middle[1] - 0.05))
        self.assertEqual(len(self.tool.zones[0].points), 6)
        self.assertIn("6 corners", self.refusals[-1])

    @settings(max_examples=250, deadline=None, derandomize=True)
    @given(
        st.lists(
            st.tuples(
                st.sampled_from([*GESTURES, *Mode]),
                st.floats(-0.2, 1.2),
                st.floats(-0.2, 1.2),
            ),
            max_size=60,
        )
    )
    def test_no_sequence_of_gestures_makes_an_unusable_zone(self, gestures):
        self.setUp()
        for name, x, y in gestures:
            if isinstance(name, Mode):
                self.tool.set_mode(name)
            elif name == "press":
                self.tool.press((x, y), reach=0.1)
            elif name == "undo":
                if len(self.commits) > 1:
                    self.commits.pop()
                    self.tool.set_zones(self.commits[-1][0])
            elif name == "nudge":
                self.tool.nudge(x / 10, y / 10)
            elif name in ("move", "release"):
                getattr(self.tool, name)((x, y))
            else:
                getattr(self.tool, name)()
            for zones in (self.tool.zones, *(c[0] for c in self.commits[-1:])):
                self.assertLessEqual(len(zones), 3)
                for zone in zones:
                    self.assertIsNone(polygon_problem(zone.points))


class Numbers(ToolCase):
    def test_a_corner_goes_where_its_numbers_say_or_stays_with_the_reason(self):
        self.tool.select(0)
        self.assertTrue(self.tool.set_corner(2, (0.75, 0.8)))
        self.assertEqual((self.tool.zones[0].points[2], self.commits[-1][1]), ((0.75, 0.8), "move corner"))
        for bad, word in (((1.4, 0.5), "in the picture"), ((0.4, 0.1), "crosses")):
            self.assertFalse(self.tool.set_corner(2, bad))
            self.assertIn(word, self.refusals[-1])
            self.assertEqual(self.tool.zones[0].points[2], (0.75, 0.8))

    def test_copy_and_paste_lay_the_copy_beside_the_original_and_keep_the_makes_limits(self):
        self.tool.select(0)
        text = self.tool.copied()
        self.tool.paste(text)
        self.assertEqual([z.name for z in self.tool.zones], ["yard", "yard copy"])
        self.assertAlmostEqual(self.tool.zones[1].points[0][0], 0.23)
        self.assertEqual(self.tool.selected, 1)
        self.tool.set_zones((PolygonZone(ZoneKind.IGNORE, ((0.7, 0.7), (0.9, 0.7), (0.8, 0.9)), "other"),))
        self.tool.paste(text)
        self.assertEqual(self.tool.zones[1].points, SQUARE)
        self.tool.paste("a shopping list")
        self.assertIn("no zone", self.refusals[-1])
        self.tool.paste(text)
        self.tool.paste(text)
        self.assertEqual(len(self.tool.zones), 3)
        self.assertIn("at most 3 zones", self.refusals[-1])
