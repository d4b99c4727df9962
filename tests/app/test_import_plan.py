"""What a plan says of each file, from what is known of it; nothing is read here."""

import unittest
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.app.intake.import_plan import Found, Known, make_plan, shown_start
from guardia.core.base.errors import InvalidValue
from guardia.media.reader import ClipInfo

LONDON = ZoneInfo("Europe/London")
CAMERAS = (
    Known(1, "Pontoon gate", "", -400.0, frozenset({("old_20260907_080000.mp4", 5000)})),
    Known(2, "Pontoon", "%d%m%y_%H%M%S", 0.0, frozenset()),
    Known(3, "Fuel berth", "", 0.0, frozenset()),
)


def info(seconds=12.0, size=5000, created=None):
    return ClipInfo(640, 360, "h264", seconds, size, created)


class Plans(unittest.TestCase):
    def plan(self, *files, rule="one", camera_id=1, lists=(), **more):
        clips = tuple((Path("/stick") / name, what) for name, what in files)
        found = Found(clips, tuple(Path("/stick") / name for name in lists))
        return make_plan(found, CAMERAS, zone=LONDON, rule=rule, camera_id=camera_id, **more)

    def test_cameras_by_folder_and_by_name_the_longest_name_first(self):
        by_folder = self.plan(
            ("Pontoon gate/a_20260907_080000.mp4", info()),
            ("fuel_berth/b_20260907_080000.mp4", info()),
            ("attic/c_20260907_080000.mp4", info()),
            rule="folder",
            lists=("fuel-berth/events.csv", "attic/events.csv"),
        )
        told = {c.path.name[0]: (c.camera_id, c.state) for c in by_folder.clips}
        self.assertEqual(told, {"a": (1, "new"), "b": (3, "new"), "c": (None, "no camera")})
        self.assertEqual([c for _, c in by_folder.lists], [3, 1])
        by_name = self.plan(
            ("pontoon-gate_20260907_080000.mp4", info()), ("pontoon_070926_080000.mp4", info()), rule="name"
        )
        self.assertEqual({c.path.name: c.camera_id for c in by_name.clips}["pontoon-gate_20260907_080000.mp4"], 1)
        self.assertEqual(len(by_name.wanted), 2)

    def test_what_needs_a_look_comes_first(self):
        plan = self.plan(
            ("a_20260907_080000.mp4", info()),
            ("b_20260907_080005.mp4", info(size=9)),
            ("broken.mp4", "broken.mp4 is not a video."),
        )
        self.assertEqual([c.state for c in plan.clips], ["cannot be read", "new", "new"])
        self.assertIn("7 s before a_20260907_080000.mp4 has ended", plan.clips[1].note)

    def test_doubles_are_still_compared_by_their_bytes(self):
        plan = self.plan(
            ("old_20260907_080000.mp4", info()),
            ("one/x_20260907_090000.mp4", info(size=7)),
            ("two/x_20260907_090000.mp4", info(size=7)),
        )
        states = sorted((c.path.name, c.state) for c in plan.clips)
        self.assertEqual([s for _, s in states], ["perhaps here", "new", "perhaps here"])
        self.assertEqual(len(plan.wanted), 3)

    def test_doubtful_starts_are_told(self):
        plan = self.plan(
            ("a_20261025_013000.mp4", info()),
            ("b_20260329_013000.mp4", info(size=1)),
            ("c.mp4", info(size=2, created=datetime(2026, 9, 7, 7, tzinfo=UTC))),
        )
        notes = {c.path.name[0]: c.note for c in plan.clips}
        self.assertIn("twice", notes["a"])
        self.assertIn("skipped", notes["b"])
        self.assertEqual(notes["c"], "")
        self.assertEqual({c.path.name[0]: c.source for c in plan.clips}["c"], "metadata")
        self.assertIn("its clock is 6 min 40 s slow", plan.notes[-1])
        clip = next(c for c in plan.clips if c.path.name == "c.mp4")
        self.assertEqual(shown_start(clip, -400.0), datetime(2026, 9, 7, 7, 6, 40, tzinfo=UTC))

    def test_a_pattern_given_now_outranks_the_one_that_is_kept(self):
        files = (("x_070926_080000.mp4", info()),)
        kept = self.plan(*files, camera_id=2)
        self.assertEqual(kept.clips[0].start, datetime(2026, 9, 7, 8, tzinfo=LONDON))
        other = self.plan(*files, camera_id=2, patterns={2: "%y%m%d_%H%M%S"})
        self.assertEqual(other.clips[0].start, datetime(2007, 9, 26, 8, tzinfo=LONDON))
        with self.assertRaisesRegex(InvalidValue, "cannot be used"):
            self.plan(*files, camera_id=2, patterns={2: "%Y only"})
