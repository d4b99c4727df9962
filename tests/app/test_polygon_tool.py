import unittest

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule

from guardia.app.steps.polygon_tool import DrawMode, PolygonTool
from guardia.core.make.zones import PolygonZone, ZoneKind, is_rectangle, polygon_problem

SQUARE = ((0.2, 0.2), (0.6, 0.2), (0.6, 0.6), (0.2, 0.6))
REACH = 0.02


AROUND = st.floats(-0.2, 1.2)


class ToolCase(unittest.TestCase):
    rectangles = False

    def setUp(self):
        self.previews, self.commits, self.refusals = [], [], []
        self.tool = PolygonTool(
            preview=self.previews.append,
            commit=lambda zones, what: self.commits.append((zones, what)),
            refuse=self.refusals.append,
            max_corners=6,
            max_zones=3,
            rectangles=self.rectangles,
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
        self.tool.set_mode(DrawMode.IGNORE)
        self.drag((0.205, 0.605), (0.05, 0.9))
        self.assertIn((0.2, 0.6), self.tool.zones[1].points)

    def test_drawing_by_clicks_and_by_a_rectangle(self):
        self.tool.set_mode(DrawMode.IGNORE)
        for point in ((0.7, 0.7), (0.9, 0.7), (0.8, 0.9)):
            self.click(point)
        self.tool.finish()
        self.assertEqual((self.tool.zones[1].kind, self.tool.zones[1].name), (ZoneKind.IGNORE, "ignore 1"))
        self.assertEqual(self.tool.mode, DrawMode.SELECT)
        self.tool.set_mode(DrawMode.WATCH)
        self.drag((0.7, 0.1), (0.9, 0.3))
        self.assertEqual(self.tool.zones[2].points, ((0.7, 0.1), (0.9, 0.1), (0.9, 0.3), (0.7, 0.3)))
        self.tool.set_mode(DrawMode.WATCH)
        self.click((0.5, 0.5))
        self.assertIn("at most 3 zones", self.refusals[-1])

    def test_a_shape_that_crosses_itself_is_refused_and_nothing_is_lost(self):
        self.tool.set_mode(DrawMode.WATCH)
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


class Machine(RuleBasedStateMachine):
    """Any sequence of gestures, commands and undos: every state is usable and nothing that was kept is lost."""

    def __init__(self):
        super().__init__()
        self.history = []
        self.undone = []
        self.tool = None

    @initialize(rectangles=st.booleans())
    def begin(self, rectangles):
        self.rectangles = rectangles
        self.tool = PolygonTool(
            preview=lambda zones: None,
            commit=self.keep,
            refuse=lambda why: None,
            max_corners=4 if rectangles else 6,
            max_zones=3,
            max_masks=1,
            rectangles=rectangles,
        )
        self.keep((PolygonZone(ZoneKind.WATCH, SQUARE, "yard"),), "")
        self.tool.set_zones(self.history[-1])

    def keep(self, zones, what):
        self.history.append(zones)
        self.undone.clear()

    @rule(mode=st.sampled_from(DrawMode))
    def choose(self, mode):
        self.tool.set_mode(mode)

    @rule(points=st.lists(st.tuples(AROUND, AROUND), min_size=1, max_size=4), reach=st.sampled_from([0.02, 0.15]))
    def drag(self, points, reach):
        self.tool.press(points[0], reach=reach)
        for point in points:
            self.tool.move(point)
        self.tool.release(points[-1])

    @rule(command=st.sampled_from(["finish", "cancel", "delete", "simplify", "straighten"]))
    def do(self, command):
        getattr(self.tool, command)()

    @rule(x=AROUND, y=AROUND)
    def left_in_the_middle_of_a_drag(self, x, y):
        self.tool.press((x, y), reach=0.15)
        self.tool.move((y, x))
        self.tool.cancel()
        if not self.tool.drawing:
            assert self.tool.zones == self.history[-1], "Esc brings the shape back"

    @rule(zone=st.integers(0, 3), corner=st.integers(0, 5), x=AROUND, y=AROUND)
    def numbers(self, zone, corner, x, y):
        if zone < len(self.tool.zones) and not self.tool.in_gesture:
            self.tool.select(zone)
            self.tool.nudge(x / 10, y / 10)
            if corner < len(self.tool.zones[zone].points):
                self.tool.set_corner(corner, (x, y))

    @rule()
    def copy_and_paste(self):
        self.tool.paste(self.tool.copied())

    @rule()
    def undo(self):
        if len(self.history) > 1:
            self.undone.append(self.history.pop())
            self.tool.set_zones(self.history[-1])

    @rule()
    def redo(self):
        if self.undone:
            self.history.append(self.undone.pop())
            self.tool.set_zones(self.history[-1])

    @invariant()
    def every_state_is_usable(self):
        for zones in (self.tool.zones, self.history[-1]) if self.tool else ():
            masks = sum(z.kind is ZoneKind.MASK for z in zones)
            assert masks <= 1
            assert len(zones) - masks <= 3
            for zone in zones:
                assert polygon_problem(zone.points) is None, zone
                assert is_rectangle(zone.points) if self.rectangles else len(zone.points) <= 6, zone

    @invariant()
    def what_is_shown_between_gestures_is_what_was_kept(self):
        if self.tool and not self.tool.in_gesture:
            assert self.tool.zones == self.history[-1]


Machine.TestCase.settings = settings(max_examples=250, stateful_step_count=40, deadline=None, derandomize=True)
AnySequence = Machine.TestCase


class Rectangles(ToolCase):
    rectangles = True

    def test_a_rectangle_stays_one_whatever_is_done_to_its_corners(self):
        self.drag((0.6, 0.6), (0.7, 0.8))
        self.assertEqual(self.tool.zones[0].points, ((0.2, 0.2), (0.7, 0.2), (0.7, 0.8), (0.2, 0.8)))
        self.drag((0.7, 0.5), (0.75, 0.9))
        self.drag((0.475, 0.8), (0.1, 0.85))
        self.assertEqual(self.tool.zones[0].points, ((0.2, 0.2), (0.75, 0.2), (0.75, 0.85), (0.2, 0.85)))
        self.assertEqual([what for _, what in self.commits], ["move corner", "move edge", "move edge"])
        self.assertTrue(self.tool.set_corner(0, (0.1, 0.3)))
        self.tool.nudge(0.05, 0.0)
        self.assertEqual(self.tool.zones[0].points[3], (0.15, 0.85))
        self.tool.delete()
        self.assertIn("keep their four corners", self.refusals[-1])
        self.assertFalse(self.tool.simplify())
        self.tool.set_mode(DrawMode.WATCH)
        self.click((0.8, 0.1))
        self.assertIn("drag from one corner", self.refusals[-1])
        self.drag((0.75, 0.1), (0.8, 0.2), (0.95, 0.4))
        self.assertEqual(len(self.tool.zones), 2)


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
        self.assertEqual([z.name for z in self.tool.zones], ["yard", "yard 2"])
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
