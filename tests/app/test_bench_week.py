"""Another week of a simulated camera: entered, run, brought in, judged, and held against what was expected."""

import multiprocessing
import pickle
import tempfile
import unittest
from datetime import timedelta
from pathlib import Path
from unittest.mock import patch

from guardia.app.project import bench_week
from guardia.app.project.bench_week import next_monday, on_all_cores, run_week, simulated_place
from guardia.app.project.demo import own_demo
from guardia.app.work.jobs import Token
from guardia.core.base.errors import Cancelled, GuardiaError
from guardia.core.evidence.clips import Origin
from guardia.store.project import Project
from tests.support import FolderCase

CAMERA = "Winter store"


def until_stopped(stop: Path) -> None:
    """In a process of its own: go on until somebody says stop, then say that it was stopped."""
    while not stop.exists():
        pass
    raise Cancelled


class OnAllCores(FolderCase):
    def test_each_result_is_given_in_order_and_a_fault_ends_the_rest(self):
        seen, stop = [], self.folder / "stop"
        on_all_cores(abs, [-3, -2, -1], "Counting", token=Token(), progress=lambda _: None, each=seen.append)
        self.assertEqual(seen, [3, 2, 1])
        with self.assertRaises(TypeError):
            on_all_cores(abs, ["x"], "Counting", token=Token(), progress=lambda _: None, stop=stop.touch)
        self.assertTrue(stop.exists())

    def test_a_stop_ends_every_process_with_much_still_to_be_done(self):
        stop, token = self.folder / "stop", Token()
        with self.assertRaises(Cancelled):
            on_all_cores(
                until_stopped, [stop] * 40, "Waiting", token=token, progress=lambda _: token.cancel(), stop=stop.touch
            )
        self.assertEqual(multiprocessing.active_children(), [])

    def test_every_error_comes_out_of_another_process_as_it_went_in(self):
        for kind in (GuardiaError, *GuardiaError.__subclasses__()):
            error = kind() if kind is Cancelled else kind("It failed.", kept="All is kept.", do="Try again.")
            again = pickle.loads(pickle.dumps(error))
            self.assertIs(type(again), kind)
            self.assertEqual((str(again), again.what, again.kept, again.do),
                             (str(error), error.what, error.kept, error.do))  # fmt: skip


class BenchWeek(FolderCase):
    def setUp(self):
        super().setUp()
        self.project = own_demo(self.folder)
        with Project(self.project) as project:
            self.id = next(i for i, name in project.cameras.names().items() if name == CAMERA)
            self.before = project.evidence(self.id)
        self.place = simulated_place("Tern Quay", CAMERA)
        self.begins = next_monday(self.before)

    def run_days(self, days, token=None):
        return run_week(
            self.project, self.id, self.place, self.begins, token=token or Token(), progress=lambda _: None, days=days
        )

    def test_only_the_demo_is_simulated_and_the_week_begins_after_all_that_is_known(self):
        self.assertIsNone(simulated_place("North Basin", CAMERA))
        self.assertIsNone(simulated_place("Tern Quay", "Gate"))
        self.assertEqual(self.begins.weekday(), 0)
        last = max(c.start_s + c.duration_s for c in self.before.clips)
        self.assertGreaterEqual(self.begins.timestamp(), last)
        self.assertLess(self.begins.timestamp() - last, timedelta(days=7).total_seconds())

    def test_a_day_comes_in_judged_by_what_happened_and_is_counted_as_watched(self):
        result = self.run_days(1)
        with Project(self.project) as project:
            after = project.evidence(self.id)
        new = [c for c in after.clips if c.start_s >= self.begins.timestamp()]
        self.assertEqual(len(new), result.added)
        self.assertTrue(any(c.origin is Origin.MOTION for c in new))
        self.assertTrue(all(c.start_s < (self.begins + timedelta(days=1)).timestamp() for c in new))
        ids = {c.id for c in new}
        self.assertTrue(all(o.kind for o in after.occurrences if o.clip_id in ids))
        self.assertAlmostEqual(after.watch.days - self.before.watch.days, 1.0, places=3)
        self.assertIn("judged already", result.notes[-1])

    def test_a_stopped_week_keeps_the_days_that_were_finished_and_no_half_day(self):
        token = Token()
        self.enterContext(patch.object(tempfile, "tempdir", str(self.folder)))
        with patch.object(bench_week, "take_in_days", side_effect=self.stopping(token)), self.assertRaises(Cancelled):
            self.run_days(2, token)
        with Project(self.project) as project:
            after = project.evidence(self.id)
        self.assertGreater(len(after.clips), len(self.before.clips))
        self.assertAlmostEqual(after.watch.days - self.before.watch.days, 1.0, places=3)
        self.assertEqual(list(self.folder.glob("guardia-week-*")), [])

    @staticmethod
    def stopping(token):
        """The real import of days, during which somebody asks to stop."""
        real = bench_week.take_in_days

        def take_in(*arguments, **options):
            token.cancel()
            return real(*arguments, **options)

        return take_in


if __name__ == "__main__":
    unittest.main()
